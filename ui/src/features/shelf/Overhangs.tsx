import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState, type SubmitEvent } from "react";
import type { Machine } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { parseNumber, plain } from "../../lib/format";
import type { ShelfRows } from "./useShelfRows";

type Test = NonNullable<Machine["printer"]["measured_overhangs"]>[number];

const FIELDS = [
  ["bore_mm", "bore", "mm"],
  ["layer_height_mm", "layer", "mm"],
  ["line_width_mm", "line", "mm"],
  ["angle_deg", t`clean up to`, "°"],
] as const;

const EMPTY: Record<keyof Test, string> = { bore_mm: "0.4", layer_height_mm: "0.2", line_width_mm: "0.44", angle_deg: "" };

/** What printed fans of overhangs showed: for its bore it replaces the typical model. */
export function Overhangs({ machine, rows }: { machine: Machine; rows: ShelfRows }) {
  const toast = useToast();
  const [typed, setTyped] = useState(EMPTY);
  const tests = machine.printer.measured_overhangs ?? [];
  const store = (next: readonly Test[], label: string) =>
    rows
      .edit(
        machine,
        (now) => ({ printer: { ...(now as Machine).printer, measured_overhangs: next }, provenance: "measured" }),
        (before) => ({ printer: (before as Machine).printer }),
        label,
      )
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }));
  const add = (event: SubmitEvent) => {
    event.preventDefault();
    const values = FIELDS.map(([key]) => parseNumber(typed[key]));
    if (values.some((value) => !(value > 0))) {
      toast(t`Give bore, layer, line and the steepest clean angle.`, { tone: "error" });
      return;
    }
    const [bore_mm = 0, layer_height_mm = 0, line_width_mm = 0, angle_deg = 0] = values;
    void store([...tests, { bore_mm, layer_height_mm, line_width_mm, angle_deg }], t`an overhang test of ${machine.name}`);
    setTyped({ ...typed, angle_deg: "" });
  };
  return (
    <details className="mt-3">
      <summary className="cursor-pointer text-sm underline"><Trans>Overhangs measured{tests.length > 0 && `, ${tests.length}`}</Trans></summary>
      <p className="mt-1 max-w-2xl text-sm text-quiet">
        <Trans>
          Print a fan of overhangs and note the steepest that is clean, counted from upright. For that bore it replaces the
          typical model; heights in between follow.
        </Trans>
      </p>
      <ul className="mt-1 text-sm">
        {tests.map((test, at) => (
          <li key={at}>
            <Trans>{plain(test.bore_mm)} mm bore, {plain(test.layer_height_mm)} × {plain(test.line_width_mm)} mm: clean up to {plain(test.angle_deg)}°</Trans>{" "}
            <button type="button" className="btn btn-ghost btn-xs font-normal text-quiet" onClick={() => void store(tests.filter((_, other) => other !== at), t`an overhang test of ${machine.name}`)}>
              <Trans>Remove</Trans>
            </button>
          </li>
        ))}
      </ul>
      <form onSubmit={add} className="mt-1 flex flex-wrap items-center gap-3 text-sm">
        {FIELDS.map(([key, label, unit]) => (
          <label key={key}>
            {label} <input className="input input-xs w-16 border-rule bg-base-100 text-right" inputMode="decimal" value={typed[key]} onChange={(event) => setTyped({ ...typed, [key]: event.target.value })} /> {unit}
          </label>
        ))}
        <button type="submit" className="btn btn-outline btn-xs font-normal">
          <Trans>Add</Trans>
        </button>
      </form>
    </details>
  );
}
