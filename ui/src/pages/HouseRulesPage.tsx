import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, take, type HouseRules, type Shop } from "../api/client";
import { keys, shelfChanged, useHouseRules } from "../api/queries";
import { useHistory } from "../components/history";
import { useToast } from "../components/Toasts";
import { Decided } from "../features/house/Decided";
import { Cautions } from "../features/house/Cautions";
import { Hours } from "../features/house/Hours";
import { HouseFigure } from "../features/house/HouseFigure";
import { Money } from "../features/house/Money";
import { SchoolPreview } from "../features/house/SchoolPreview";
import { inLine } from "../lib/inLine";

type Change = { rules?: HouseRules["rules"]; shop?: Shop; scale_address?: string };

/** Where good practitioners disagree: which school this workshop follows; its hours and money; and the cautions. */
export default function HouseRulesPage() {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  useEffect(() => {
    document.title = t`House rules · Mean Bead`;
  }, []);
  // A school that was clicked, to be looked at before it is taken.
  const [tried, setTried] = useState<{ topic: string; school: string } | null>(null);
  const house = useHouseRules();
  const store = (change: Change) =>
    inLine(t`house rules`, async () => {
      const now = queries.getQueryData<HouseRules>(keys.houseRules);
      if (now === undefined) return;
      // Shown at once; a refusal fetches what is really stored.
      queries.setQueryData<HouseRules>(keys.houseRules, { ...now, ...change });
      queries.setQueryData(keys.houseRules, take(await api.PATCH("/api/house-rules", { body: { version: now.version, ...change } })));
      await queries.invalidateQueries({ queryKey: ["ending"] });
      // What recipes leave open follows the house: their figures may be others.
      await shelfChanged(queries);
    });
  const change = useMutation({
    mutationFn: async ({ to, from, label }: { to: Change; from: Change; label: string }) => {
      await store(to);
      history.push({ label, undo: () => store(from), redo: () => store(to) });
    },
    onError: async (error) => {
      toast(error.message, { tone: "error" });
      await queries.invalidateQueries({ queryKey: keys.houseRules });
    },
  });
  const rules = house.data?.rules;
  const wanted = tried === null ? null : { ...rules, [tried.topic]: tried.school };
  const preview = useQuery({
    queryKey: ["house-preview", house.data?.version, wanted],
    queryFn: async () => take(await api.POST("/api/house-rules/preview", { body: { rules: wanted as HouseRules["rules"] } })).columns,
    enabled: wanted !== null,
    staleTime: 10_000,
  });
  if (house.isLoadingError) return <p className="py-6 text-error">{house.error.message}</p>;
  if (house.data === undefined || rules === undefined) return <p className="py-10 text-quiet"><Trans>Fetching the rules …</Trans></p>;
  const { matters } = house.data;
  const shop = house.data.shop as Shop;
  const chosen = rules as Record<string, string>;
  const save = (next: Shop, label: string) => change.mutate({ to: { shop: next }, from: { shop }, label });
  return (
    <div className="py-6">
      <h1 className="font-serif text-3xl"><Trans>House rules</Trans></h1>
      <p className="max-w-3xl text-quiet">
        <Trans>
          Good practitioners disagree on these. What a recipe leaves open follows the school that is chosen here, and so do
          findings and levers. A click shows which columns would change; nothing does until you take it.
        </Trans>
      </p>
      <Hours shop={shop} onChange={save} />
      <Money shop={shop} onChange={save} />
      <section aria-labelledby="margins" className="mt-5">
        <h2 id="margins" className="font-serif text-2xl">
          <Trans>Margin</Trans>
        </h2>
        <div className="mt-1 flex flex-wrap items-center gap-x-5 text-sm">
          <HouseFigure
            label={t`Plans stay below what a hot end melts by`}
            unit="%"
            value={Math.round(1000 * shop.flow_margin) / 10}
            onChange={(share) => save({ ...shop, flow_margin: share / 100 }, t`the margin under what melts`)}
          />
          <span className="text-quiet"><Trans>For filament that varies, and for typical figures; 10 % is usual.</Trans></span>
        </div>
      </section>
      <section aria-labelledby="scale" className="mt-5">
        <h2 id="scale" className="font-serif text-2xl">
          <Trans>Scale</Trans>
        </h2>
        <label className="mt-1 flex flex-wrap items-center gap-2 text-sm">
          <Trans>The workshop’s scale gives its readings at</Trans>
          <input
            key={house.data.scale_address}
            className="input input-sm w-48 border-rule bg-base-100"
            placeholder="host:port"
            maxLength={200}
            defaultValue={house.data.scale_address}
            onBlur={(event) => {
              const to = event.target.value.trim();
              const from = house.data.scale_address;
              if (to !== from) change.mutate({ to: { scale_address: to }, from: { scale_address: from }, label: t`where the scale is` });
            }}
          />
          <span className="text-quiet"><Trans>Then a run’s weight is read at a press; left empty it is typed.</Trans></span>
        </label>
      </section>
      <Decided />
      <h2 className="mt-6 font-serif text-2xl"><Trans>Schools</Trans></h2>
      <div className="mt-2 grid grid-cols-1 gap-x-8 gap-y-5 md:grid-cols-2">
        {matters.map((matter) => (
          <fieldset key={matter.key} className="border-t border-rule pt-2">
            <legend className="sr-only">{matter.label}</legend>
            <p>
              <strong>{matter.label}.</strong> <span className="text-quiet">{matter.question}</span>
            </p>
            {matter.schools.map((school, index) => (
              <label key={school.value} className="mt-1 flex items-start gap-2">
                <input
                  type="radio"
                  className="radio radio-xs mt-1"
                  name={matter.key}
                  checked={(tried?.topic === matter.key ? tried.school : chosen[matter.key]) === school.value}
                  onChange={() => setTried(chosen[matter.key] === school.value ? null : { topic: matter.key, school: school.value })}
                />
                <span>
                  {school.label}
                  {index === 0 && <span className="text-xs text-quiet"> <Trans>usual</Trans></span>}
                  <span className="block text-sm text-quiet">{school.reason}</span>
                </span>
              </label>
            ))}
            {tried?.topic === matter.key && (
              <SchoolPreview
                columns={preview.data}
                problem={preview.error?.message}
                onTake={() => {
                  change.mutate({
                    to: { rules: { ...rules, [matter.key]: tried.school } },
                    from: { rules },
                    label: t`the house rule on ${matter.label.toLowerCase()}`,
                  });
                  setTried(null);
                }}
                onLeave={() => setTried(null)}
              />
            )}
          </fieldset>
        ))}
      </div>
      <Cautions />
    </div>
  );
}
