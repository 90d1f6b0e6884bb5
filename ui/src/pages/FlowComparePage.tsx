import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useSearchParams } from "react-router";
import { api, take, type FlowAtTemp, type FlowTest, type KneeDifference } from "../api/client";
import { Limits } from "../features/flow/Answers";
import { Curve, scaleOf, type Scale } from "../features/flow/Curve";
import { plain } from "../lib/format";

/** Two tests side by side, and whether they differ beyond their scatter. */
export default function FlowComparePage() {
  const [asked] = useSearchParams();
  const [first, second] = ["first", "second"].map((name) => Number(asked.get(name)));
  const told = useQuery({
    queryKey: ["flow-compare", first, second],
    queryFn: async () => take(await api.GET("/api/flow-tests/compare", { params: { query: { first: first ?? 0, second: second ?? 0 } } })),
    refetchOnMount: "always",
  });
  useEffect(() => {
    document.title = t`Two flow tests · Mean Bead`;
  }, []);
  if (told.isLoadingError) return <p className="py-6 text-error">{told.error.message}</p>;
  if (!told.data) return <p className="py-10 text-quiet"><Trans>Comparing …</Trans></p>;
  const same = told.data.first.id === told.data.second.id;
  return (
    <div className="py-5">
      <p className="text-sm">
        <Link className="underline" to="/flow">
          <Trans>Flow lab</Trans>
        </Link>
      </p>
      <h1 className="font-serif text-3xl">{same ? t`Its temperatures compared` : t`Two tests compared`}</h1>
      {told.data.differences.length === 0 && <p className="mt-2"><Trans>There is nothing to compare yet: each side needs three weighed strands at one temperature{same ? t`, and this test has only one temperature` : ""}.</Trans></p>}
      <div className="mt-3 space-y-8">
        {told.data.differences.map((one) => (
          <Pair key={`${one.temp_c} ${one.other_temp_c} ${one.fan} ${one.other_fan}`} first={told.data.first} second={told.data.second} difference={one} />
        ))}
      </div>
    </div>
  );
}

function Pair({ first, second, difference }: { first: FlowTest; second: FlowTest; difference: KneeDifference }) {
  const sides = [
    { label: t`First`, test: first, entry: entryOf(first, difference.temp_c, difference.fan) },
    { label: t`Second`, test: second, entry: entryOf(second, difference.other_temp_c, difference.other_fan) },
  ];
  // One scale for both, or the steeper one would look like the flatter.
  const scales = sides.flatMap(({ test, entry }) => (entry ? [scaleOf(test, entry)] : []));
  const scale = { least: Math.min(...scales.map((one) => one.least)), most: Math.max(...scales.map((one) => one.most)) };
  return (
    <section aria-label={t`At ${plain(difference.temp_c)} °C`}>
      <p className="border-y border-rule py-2">
        <strong className="font-serif text-2xl font-medium">{WORD[difference.verdict]}</strong> {difference.sentence}
      </p>
      <div className="mt-3 grid gap-x-10 gap-y-4 md:grid-cols-2">
        {sides.map((side) => (
          <Side key={side.label} {...side} scale={scale} />
        ))}
      </div>
    </section>
  );
}

const WORD: Record<KneeDifference["verdict"], string> = { more: t`More.`, less: t`Less.`, same: t`No difference.`, unknown: t`Not known.` };

function entryOf(test: FlowTest, temp_c: number, fan: boolean): FlowAtTemp | undefined {
  return test.fit?.by_temp.find((one) => one.temp_c === temp_c && one.fan === fan);
}

function Side({ label, test, entry, scale }: { label: string; test: FlowTest; entry: FlowAtTemp | undefined; scale: Scale }) {
  return (
    <div>
      <h2 className="font-serif text-xl">
        {label}:{" "}
        <Link className="underline underline-offset-4" to={`/flow/${test.id}`}>
          {test.name}
        </Link>
      </h2>
      <p className="text-sm text-quiet">
        {new Date(test.made_on).toLocaleDateString()}
        {entry && t`, ${plain(entry.temp_c)} °C, fan ${entry.fan ? t`on` : t`off`}`}
      </p>
      {entry && (
        <>
          <Curve test={test} entry={entry} height={260} scale={scale} />
          <Limits entry={entry} />
        </>
      )}
    </div>
  );
}
