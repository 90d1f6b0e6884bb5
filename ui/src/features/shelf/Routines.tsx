import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Machine } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { formatDuration } from "../../lib/format";
import type { ShelfRows } from "./useShelfRows";

type Key = "start_gcode" | "end_gcode";

const A_WORD = "{nozzle_temp_c}";

/** A machine's own start and end text. What each takes comes from replaying it. */
export function Routines({ machine, rows, open = false }: { machine: Machine; rows: ShelfRows; open?: boolean }) {
  return (
    <details className="mt-3" open={open}>
      <summary className="cursor-pointer text-sm underline"><Trans>Start and end text</Trans></summary>
      <p className="mt-1 max-w-2xl text-sm text-quiet">
        <Trans>
          G-code that runs before and after each print. Words in braces, such as {A_WORD}, are filled in for a print.
          How long it takes comes from replaying it; heating is counted by itself.
        </Trans>
      </p>
      <div className="mt-1 grid gap-4 md:grid-cols-2">
        <Text machine={machine} rows={rows} name="start_gcode" label={t`Start text`} />
        <Text machine={machine} rows={rows} name="end_gcode" label={t`End text`} />
      </div>
    </details>
  );
}

function Text({ machine, rows, name, label }: { machine: Machine; rows: ShelfRows; name: Key; label: string }) {
  const toast = useToast();
  const stored = machine.printer[name] ?? "";
  const [typed, setTyped] = useState<string | null>(null);
  const text = typed ?? stored;
  const told = useQuery({
    queryKey: ["routine", machine.id, machine.version, text],
    queryFn: async () => take(await api.POST("/api/machines/{machine_id}/routine", { params: { path: { machine_id: machine.id } }, body: { text } })),
    enabled: text.trim() !== "",
    staleTime: Infinity,
    retry: false,
  });
  const store = () => {
    if (typed === null || typed === stored) return;
    rows
      .edit(
        machine,
        (now) => ({ printer: { ...(now as Machine).printer, [name]: typed } }),
        (before) => ({ printer: (before as Machine).printer }),
        t`the ${label.toLowerCase()} of ${machine.name}`,
      )
      .then(() => setTyped(null))
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }));
  };
  return (
    <label className="block text-sm">
      {label}
      <textarea
        className="mt-1 block h-36 w-full border border-rule bg-base-100 p-2 font-mono text-xs"
        spellCheck={false}
        maxLength={20_000}
        value={text}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={store}
      />
      <span className="block min-h-5 text-quiet" aria-live="polite">
        {text.trim() === ""
          ? t`none`
          : told.isError
            ? told.error.message
            : told.data && t`takes ${formatDuration(told.data.time_s)} beside heating${told.data.heating ? t`; heats ${told.data.heating === "bed_first" ? t`the bed, then the nozzle` : t`bed and nozzle together`}` : ""}`}
      </span>
    </label>
  );
}
