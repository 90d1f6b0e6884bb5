import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { api, take, type FlowTest } from "../../api/client";
import { fixed } from "../../lib/format";
import { nextStrand } from "./Entry";
import { strandOf, type Strand } from "./strands";
import { useFlowTestDeeds } from "./useFlowTest";

/** Ways to run it: as a file, strand by strand over the console, or by hand from a card. */
export function WaysToRun({ test }: { test: FlowTest }) {
  const deeds = useFlowTestDeeds(test);
  const [pause, setPause] = useState("button");
  return (
    <section aria-labelledby="run" className="text-sm">
      <h2 id="run" className="font-serif text-2xl">
        <Trans>Run it</Trans>
      </h2>
      <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-2">
        <span className="flex flex-wrap items-center gap-2">
          <a className="btn btn-outline btn-sm font-normal" href={`/api/flow-tests/${test.id}.gcode?pause=${pause}`} download>
            <Trans>As a G-code file</Trans>
          </a>
          <label>
            <Trans>that waits</Trans>{" "}
            <select className="select select-xs w-40 border-rule bg-base-100" value={pause} onChange={(event) => setPause(event.target.value)}>
              <option value="button">{t`for the machine’s button`}</option>
              <option value="dwell">{t`40 s for each strand`}</option>
            </select>
          </label>
        </span>
        <a className="btn btn-outline btn-sm font-normal" href={`/flow/${test.id}/card`}>
          <Trans>By hand, from a card</Trans>
        </a>
      </div>
      <details className="mt-2" open={Boolean(test.setup.console_address)}>
        <summary className="cursor-pointer"><Trans>Strand by strand, over the machine’s console</Trans></summary>
        <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
          <AddressBox label={t`Console`} value={test.setup.console_address ?? ""} placeholder={t`host:port or /dev/ttyUSB0`} onSave={(console_address) => deeds.setup({ console_address })} />
          <AddressBox
            label={t`Scale`}
            value={test.setup.scale_address ?? ""}
            placeholder="host:port"
            onSave={(scale_address) => {
              localStorage.setItem("meanbead.scale", scale_address);
              deeds.setup({ scale_address });
            }}
          />
        </div>
        {test.setup.console_address && <Console test={test} />}
      </details>
    </section>
  );
}

function AddressBox({ label, value, placeholder, onSave }: { label: string; value: string; placeholder: string; onSave: (value: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const commit = () => {
    if (typed !== null && typed.trim() !== value) onSave(typed.trim());
    setTyped(null);
  };
  return (
    <label>
      {label}{" "}
      <input
        className="input input-xs w-48 border-rule bg-base-100"
        value={typed ?? value}
        placeholder={placeholder}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => event.key === "Enter" && commit()}
      />
    </label>
  );
}

type Deed = "heat" | "look" | "step" | "stop";

function Console({ test }: { test: FlowTest }) {
  const [present, setPresent] = useState(false);
  const [doing, setDoing] = useState<Deed | null>(null);
  const [said, setSaid] = useState("");
  const [problem, setProblem] = useState("");
  const next = nextStrand(test);
  const temp_c = next?.temp_c ?? test.setup.temps_c[0] ?? 200;
  const ask = async (deed: Deed) => {
    setDoing(deed);
    setProblem("");
    try {
      const body = { do: deed, temp_c, flow_mm3_s: deed === "step" ? (next?.flow_mm3_s ?? null) : null, present };
      const told = take(await api.POST("/api/flow-tests/{row_id}/console", { params: { path: { row_id: test.id } }, body }));
      const now = told.temp_c == null ? "" : t`The hot end is at ${fixed(told.temp_c, 0)} °C.`;
      const look = strandOf(told.strand as Strand | null);
      setSaid([now, deed === "step" ? t`The strand is out: cut it, look at it, weigh it.` : "", look ? t`The machine’s eye says: ${look.label}.` : ""].filter(Boolean).join(" "));
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    } finally {
      setDoing(null);
    }
  };
  return (
    <div className="mt-2 border border-rule p-2">
      <label className="flex items-center gap-2">
        <input type="checkbox" className="checkbox checkbox-sm" checked={present} onChange={(event) => setPresent(event.target.checked)} />
        <Trans>I stand at the machine, and stay there. Hot plastic burns.</Trans>
      </label>
      <div className="mt-1 flex flex-wrap gap-2">
        <button type="button" className="btn btn-outline btn-xs font-normal" disabled={!present || doing !== null} onClick={() => void ask("heat")}>
          <Trans>Heat to {fixed(temp_c, 0)} °C</Trans>
        </button>
        <button type="button" className="btn btn-outline btn-xs font-normal" disabled={doing !== null} onClick={() => void ask("look")}>
          <Trans>How hot is it?</Trans>
        </button>
        <button type="button" className="btn btn-primary btn-xs font-normal" disabled={!present || doing !== null || next === null} onClick={() => void ask("step")}>
          {doing === "step" ? t`Feeding …` : next ? t`Feed ${fixed(next.flow_mm3_s, 1)} mm³/s` : t`Nothing left to feed`}
        </button>
        <button type="button" className="btn btn-outline btn-xs font-normal" onClick={() => void ask("stop")}>
          <Trans>Heater off</Trans>
        </button>
      </div>
      <p role="status" className="mt-1 min-h-5">
        {said}
      </p>
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
    </div>
  );
}
