import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import type { FlowTestHead } from "../api/client";
import { useShelf } from "../api/queries";
import { AskedBack } from "../features/flow/AskedBack";
import { KnownFlows } from "../features/flow/KnownFlows";
import { PlanForm } from "../features/flow/PlanForm";
import { useFlowTests } from "../features/flow/useFlowTest";
import { fixed } from "../lib/format";

/** Measure what the hot end really melts: tests that were made, and the next one. */
export default function FlowLabPage() {
  const shelf = useShelf();
  const tests = useFlowTests();
  useEffect(() => {
    document.title = t`Flow lab · Mean Bead`;
  }, []);
  return (
    <div className="py-6">
      <h1 className="font-serif text-3xl"><Trans>Flow lab</Trans></h1>
      <p className="max-w-3xl text-quiet">
        <Trans>How much plastic a hot end melts decides more of every recipe than any other figure. Feed filament into the air at rising flows, weigh what comes out, and note how it looks: half an hour, and every estimate of that machine rests on it.</Trans>
      </p>
      {(tests.error ?? shelf.error) && <p className="mt-3 text-error">{(tests.error ?? shelf.error)?.message}</p>}
      <div className="mt-4 grid grid-cols-1 gap-x-10 gap-y-6 lg:grid-cols-[minmax(0,5fr)_minmax(0,6fr)]">
        {tests.data && <Made tests={tests.data} />}
        {shelf.data && tests.data && <PlanForm shelf={shelf.data} flowTests={tests.data.length} />}
      </div>
      {shelf.data && <KnownFlows shelf={shelf.data} />}
      {shelf.data && <AskedBack shelf={shelf.data} />}
      <p className="mt-8 text-sm">
        <Trans>No scale at hand, or another figure of the machine to measure? <Link className="underline" to="/test-pieces">Test pieces</Link> are printed and judged by eye.</Trans>
      </p>
    </div>
  );
}

const STATE: Record<FlowTestHead["state"], string> = { planned: t`planned`, running: t`under way`, used: t`in use`, retired: t`retired` };

function Made({ tests }: { tests: readonly FlowTestHead[] }) {
  const [picked, setPicked] = useState<readonly number[]>([]);
  const [first, second] = picked;
  return (
    <section aria-labelledby="made">
      <h2 id="made" className="font-serif text-2xl">
        <Trans>Tests</Trans>
      </h2>
      {tests.length === 0 && <p className="mt-1 text-sm text-quiet"><Trans>None yet: all estimates rest on typical figures.</Trans></p>}
      <ul>
        {tests.map((test) => (
          <li key={test.id} className="border-t border-rule py-2">
            <div className="flex items-baseline gap-3">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                aria-label={t`Compare ${test.name}, ${test.made_on}`}
                checked={picked.includes(test.id)}
                onChange={(event) => setPicked((now) => (event.target.checked ? [...now.slice(-1), test.id] : now.filter((one) => one !== test.id)))}
              />
              <Link className="min-w-0 flex-1 font-semibold underline-offset-4 hover:underline" to={`/flow/${test.id}`}>
                {test.name}
              </Link>
              <span className={`text-sm ${test.state === "used" ? "text-molten" : "text-quiet"}`}>{STATE[test.state]}</span>
            </div>
            <p className="pl-7 text-sm text-quiet">
              {new Date(test.made_on).toLocaleDateString()}, <Plural value={test.strands} one="# strand" other="# strands" />
              {test.measured?.at.map((entry) => (
                <span key={entry.temp_c}>
                  {" "}
                  <Trans>· {fixed(entry.limit_mm3_s, 1)} mm³/s at {fixed(entry.temp_c, 0)} °C</Trans>
                </span>
              ))}
              {test.ask_again && <span className="block text-warning">{test.ask_again}</span>}
            </p>
          </li>
        ))}
      </ul>
      {tests.length > 0 && (
        <p className="mt-2 flex flex-wrap items-center gap-3 text-sm">
          {first !== undefined ? (
            <Link className="btn btn-outline btn-xs font-normal" to={`/flow/compare?first=${Math.min(first, second ?? first)}&second=${Math.max(first, second ?? first)}`}>
              {second === undefined ? t`Compare its temperatures` : t`Compare these two`}
            </Link>
          ) : (
            <span className="text-quiet"><Trans>Tick one or two to compare.</Trans></span>
          )}
        </p>
      )}
    </section>
  );
}
