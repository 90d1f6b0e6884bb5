import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { FlowTest } from "../api/client";
import { Drive, Limits, NextMove } from "../features/flow/Answers";
import { Cautions } from "../features/flow/Cautions";
import { Curve } from "../features/flow/Curve";
import { Entry } from "../features/flow/Entry";
import { WaysToRun } from "../features/flow/OverConsole";
import { useFlowTest, useFlowTestDeeds, useStrands } from "../features/flow/useFlowTest";
import { plain } from "../lib/format";

/** Notes that <Drive> tells already. */
const OF_THE_DRIVE = /steps per mm/;

/** One flow test: enter at the machine, watch the curve grow, use it. */
export default function FlowTestPage() {
  const id = Number(useParams().testId);
  const test = useFlowTest(id);
  const name = test.data?.name;
  useEffect(() => {
    document.title = t`${name ?? t`Flow test`} · Mean Bead`;
  }, [name]);
  if (test.isError && !test.data) return <p className="py-6 text-error">{test.error.message}</p>;
  if (!test.data) return <p className="py-10 text-quiet"><Trans>Fetching the test …</Trans></p>;
  return <Lab test={test.data} />;
}

/** Its name, typed over in place, and the way to delete it. */
function Title({ test }: { test: FlowTest }) {
  const deeds = useFlowTestDeeds(test);
  const go = useNavigate();
  const [typed, setTyped] = useState<string | null>(null);
  const commit = () => {
    const name = typed?.trim() ?? "";
    setTyped(null);
    if (name !== "" && name !== test.name) deeds.rename(name);
  };
  return (
    <div className="flex flex-wrap items-baseline gap-x-4">
      {typed === null ? (
        <h1 className="font-serif text-3xl">{test.name}</h1>
      ) : (
        <input
          aria-label={t`Name of the test`}
          autoFocus
          className="input w-80 border-rule bg-base-100 font-serif text-2xl"
          maxLength={120}
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          onBlur={commit}
          onKeyDown={(event) => {
            if (event.key === "Enter") commit();
            if (event.key === "Escape") setTyped(null);
          }}
        />
      )}
      <button type="button" className="btn btn-ghost btn-xs font-normal text-quiet" onClick={() => setTyped(test.name)}>
        <Trans>Rename</Trans>
      </button>
      <button type="button" className="btn btn-ghost btn-xs font-normal text-quiet" onClick={() => void deeds.remove().then(() => go("/flow"))}>
        <Trans>Delete</Trans>
      </button>
    </div>
  );
}

function Lab({ test }: { test: FlowTest }) {
  const strands = useStrands(test);
  const entries = test.fit?.by_temp ?? [];
  const [picked, setPicked] = useState(0);
  const entry = entries[Math.min(picked, entries.length - 1)];
  return (
    <div className="py-5">
      <p className="text-sm">
        <Link className="underline" to="/flow">
          <Trans>Flow lab</Trans>
        </Link>
      </p>
      <Title test={test} />
      <p className="text-quiet">
        <Trans>{test.machine_name}, {test.nozzle_name}, {test.material_name}, at {test.setup.temps_c.map(plain).join(" and ")} °C, fan {test.setup.fan ? t`on` : t`off`}</Trans>
      </p>
      {test.plan_problem && (
        <p role="alert" className="mt-2 text-error">
          {test.plan_problem}
        </p>
      )}
      <div className="mt-3 grid grid-cols-1 gap-x-10 gap-y-6 lg:grid-cols-[minmax(0,6fr)_minmax(0,5fr)]">
        <div className="space-y-5">
          <Entry test={test} strands={strands} />
          <WaysToRun test={test} />
          {test.plan && <Cautions plan={test.plan} />}
        </div>
        <div className="space-y-3">
          {entries.length > 1 && (
            <div role="group" aria-label={t`Temperature`} className="flex flex-wrap gap-1">
              {entries.map((one, at) => (
                <button key={`${one.temp_c} ${one.fan}`} type="button" aria-pressed={one === entry} className={`btn btn-xs font-normal ${one === entry ? "btn-primary" : "btn-outline"}`} onClick={() => setPicked(at)}>
                  {plain(one.temp_c)} °C{one.fan ? t`, fan` : ""}
                </button>
              ))}
            </div>
          )}
          {entry ? (
            <>
              <Curve test={test} entry={entry} />
              <Limits entry={entry} />
            </>
          ) : (
            <p className="border border-dashed border-rule p-6 text-center text-quiet"><Trans>The curve grows here, strand by strand.</Trans></p>
          )}
          <NextMove test={test} />
          <Drive test={test} />
          {test.fit?.notes.filter((note) => !OF_THE_DRIVE.test(note)).map((note) => (
            <p key={note} className="text-sm">
              {note}
            </p>
          ))}
        </div>
      </div>
    </div>
  );
}
