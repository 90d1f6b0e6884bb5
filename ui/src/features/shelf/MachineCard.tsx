import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, ProblemError, take, type Machine, type Printer, type Shelf } from "../../api/client";
import { keys, shelfChanged } from "../../api/queries";
import { parseNumber, plain } from "../../lib/format";
import { useHistory } from "../../components/history";
import { inLine } from "../../lib/inLine";
import { useToast } from "../../components/Toasts";
import { MACHINE_FIELDS, valueAt, withValueAt, type MachineField, type MachineValue } from "./machineFields";

/** One machine: every figure can be typed over; the limits can come from the firmware itself. */
export function MachineCard({ machine }: { machine: Machine }) {
  const queries = useQueryClient();
  const toast = useToast();
  const changed = useMachineChanged();
  const groups = [...new Set(MACHINE_FIELDS.map((field) => field.group))];
  const write = useMachineWrites(machine);
  const save = useMutation({
    mutationFn: (change: (now: Machine) => { name?: string; printer?: Printer }) =>
      write(async (now) =>
        take(
          await api.PATCH("/api/machines/{machine_id}", {
            params: { path: { machine_id: now.id } },
            body: { version: now.version, ...change(now) },
          }),
        ),
      ),
    onSuccess: ({ before, after }) => changed(before, after),
    onError: (error) => {
      if (error instanceof ProblemError && error.status === 409) {
        toast(error.message, { tone: "error" });
        void queries.invalidateQueries({ queryKey: keys.shelf });
      }
    },
  });
  const [name, setName] = useState(machine.name);
  return (
    <article className="rounded-box border border-rule p-4" aria-label={machine.name}>
      <div className="flex flex-wrap items-baseline gap-3">
        <input
          className="w-64 border-b border-rule bg-base-100 font-serif text-2xl"
          aria-label={`Name of ${machine.name}`}
          value={name}
          onChange={(event) => setName(event.target.value)}
          onBlur={() => {
            if (name.trim() === "") setName(machine.name);
            else if (name.trim() !== machine.name) save.mutate(() => ({ name }));
          }}
          onKeyDown={(event) => {
            if (event.key === "Enter") event.currentTarget.blur();
          }}
        />
        <p className="text-sm text-quiet">
          limits {machine.printer.limits_source}, hot end {machine.printer.hotend?.source ?? "typical"}
        </p>
      </div>
      <div className="mt-3 grid gap-x-8 gap-y-4 sm:grid-cols-2 xl:grid-cols-4">
        {groups.map((group) => (
          <section key={group} aria-label={group}>
            <h3 className="font-serif italic text-quiet">{group}</h3>
            {MACHINE_FIELDS.filter((field) => field.group === group && (field.when?.(machine.printer) ?? true)).map(
              (field) => (
                <Figure
                  key={`${field.path.join(".")}:${valueAt(machine.printer, field.path)}`}
                  field={field}
                  machine={machine}
                  onSave={(value) => save.mutateAsync((now) => ({ printer: withValueAt(now.printer, field.path, value) }))}
                />
              ),
            )}
            {group === "Hot end" && machine.printer.hotend?.lining === "ptfe" && (
              <p className="mt-1 text-sm text-warning">
                Above about 240 °C a PTFE lining gives off toxic fumes. Swap hot ends and nozzles as the maker says.
              </p>
            )}
          </section>
        ))}
      </div>
      <FirmwareBox machine={machine} />
    </article>
  );
}

/**
 * Writes to a machine one after another, each on what the one before has made of it: two figures typed in a row are two
 * changes, not one that runs over the other.
 */
function useMachineWrites(machine: Machine) {
  const queries = useQueryClient();
  return (make: (now: Machine) => Promise<Machine>) =>
    inLine(`machine ${machine.id}`, async () => {
      const shelf = queries.getQueryData<Shelf>(keys.shelf);
      const before = shelf?.machines.find((one) => one.id === machine.id) ?? machine;
      const after = await make(before);
      queries.setQueryData<Shelf>(keys.shelf, (now) =>
        now && { ...now, machines: now.machines.map((one) => (one.id === after.id ? after : one)) },
      );
      return { before, after };
    });
}

/** Takes in a changed machine, as a step that can be undone. */
function useMachineChanged(): (before: Machine, after: Machine) => Promise<void> {
  const queries = useQueryClient();
  const history = useHistory();
  return async (before, after) => {
    const write = (wanted: Machine) => async () => {
      const { machines } = take(await api.GET("/api/shelf"));
      const version = machines.find((one) => one.id === wanted.id)?.version ?? 0;
      take(
        await api.PATCH("/api/machines/{machine_id}", {
          params: { path: { machine_id: wanted.id } },
          body: { version, name: wanted.name, printer: wanted.printer },
        }),
      );
      await shelfChanged(queries);
    };
    await shelfChanged(queries);
    history.push({ label: `the change of ${before.name}`, undo: write(before), redo: write(after) });
  };
}

function Figure(props: { field: MachineField; machine: Machine; onSave: (value: MachineValue) => Promise<unknown> }) {
  const { field, machine, onSave } = props;
  const stored = valueAt(machine.printer, field.path);
  const [text, setText] = useState(stored === "" || field.options ? stored : plain(Number(stored)));
  const [problem, setProblem] = useState<string | null>(null);
  const id = useId();

  const store = async (value: string) => {
    const typed = value.trim() === "" ? null : field.yesNo ? value === "true" : field.options ? value : parseNumber(value);
    if (String(typed ?? "") === stored) return;
    if (typeof typed === "number" && Number.isNaN(typed)) {
      setProblem("Type a number, such as 1000.");
      return;
    }
    try {
      await onSave(typed);
      setProblem(null);
    } catch (error) {
      const named = error instanceof ProblemError ? error.about(field.path.join(".")) : undefined;
      setProblem(named ?? (error instanceof Error ? error.message : "It could not be stored."));
    }
  };

  return (
    <div className="border-b border-base-300 py-0.5 text-sm">
      <div className="flex items-center gap-2">
        <label htmlFor={id} className="flex-1">
          {field.label} {field.unit && <span className="text-xs text-quiet">{field.unit}</span>}
        </label>
        {field.options ? (
          <select
            id={id}
            className="w-36 border border-rule bg-base-100 px-1 py-0.5"
            value={text}
            onChange={(event) => {
              setText(event.target.value);
              void store(event.target.value);
            }}
          >
            {field.options.map((option) => (
              <option key={option.value} value={option.value}>
                {option.label}
              </option>
            ))}
          </select>
        ) : (
          <input
            id={id}
            className={`w-24 border bg-base-100 px-1 py-0.5 text-right ${problem ? "border-error" : "border-rule"}`}
            inputMode="decimal"
            autoComplete="off"
            aria-invalid={problem !== null}
            aria-describedby={problem ? `${id}-problem` : undefined}
            value={text}
            onChange={(event) => setText(event.target.value)}
            onBlur={(event) => void store(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "Enter") event.currentTarget.blur();
              if (event.key === "Escape") {
                setText(stored);
                setProblem(null);
              }
            }}
          />
        )}
      </div>
      {problem && (
        <p id={`${id}-problem`} role="alert" className="text-error">
          {problem}
        </p>
      )}
    </div>
  );
}

/** Paste what the firmware's console answers to M503; its limits become the machine's. */
function FirmwareBox({ machine }: { machine: Machine }) {
  const changed = useMachineChanged();
  const write = useMachineWrites(machine);
  const toast = useToast();
  const [report, setReport] = useState("");
  const read = useMutation({
    mutationFn: () =>
      write(async (now) =>
        take(
          await api.POST("/api/machines/{machine_id}/firmware", {
            params: { path: { machine_id: now.id } },
            body: { version: now.version, report },
          }),
        ),
      ),
    onSuccess: async ({ before, after }) => {
      setReport("");
      toast(`${machine.name} now has its firmware's limits.`);
      await changed(before, after);
    },
  });
  const [address, setAddress] = useState("");
  const ask = useMutation({
    mutationFn: () =>
      write(async (now) =>
        take(
          await api.POST("/api/machines/{machine_id}/console", {
            params: { path: { machine_id: now.id } },
            body: { version: now.version, address },
          }),
        ),
      ),
    onSuccess: async ({ before, after }) => {
      toast(`${machine.name} now has the limits that its console told.`);
      await changed(before, after);
    },
  });
  return (
    <details className="mt-4">
      <summary className="cursor-pointer text-sm underline">Take the limits from the firmware</summary>
      <form
        className="mt-2 flex flex-wrap items-center gap-2 text-sm"
        onSubmit={(event) => {
          event.preventDefault();
          ask.mutate();
        }}
      >
        <label htmlFor={`console-${machine.id}`}>Ask its console at</label>
        <input
          id={`console-${machine.id}`}
          className="w-80 border border-rule bg-base-100 px-2 py-1 font-mono"
          placeholder="192.168.1.20:23 or /dev/ttyUSB0"
          autoComplete="off"
          spellCheck={false}
          value={address}
          onChange={(event) => setAddress(event.target.value)}
        />
        <button type="submit" className="btn btn-outline btn-sm" disabled={address.trim() === "" || ask.isPending}>
          {ask.isPending ? "Listening …" : "Ask"}
        </button>
        <span className="text-quiet">It only asks; nothing moves or heats.</span>
      </form>
      {ask.isError && (
        <p role="alert" className="mt-1 text-error">
          {ask.error.message}
        </p>
      )}
      <p className="mt-2 max-w-2xl text-sm">
        Or send <code>M503</code> on the console yourself and paste all that it answers. Lines that are not settings are
        passed over; what the report does not say stays as it is.
      </p>
      <textarea
        className="mt-1 h-28 w-full max-w-2xl border border-rule bg-base-100 p-2 font-mono text-sm"
        aria-label={`Firmware report of ${machine.name}`}
        placeholder={"echo: M201 X3000 Y2500 Z100 E10000\necho: M204 P900 R1400 T1600\necho: M205 X8 Y8 Z0.4 E5"}
        value={report}
        onChange={(event) => setReport(event.target.value)}
      />
      <div>
        <button
          type="button"
          className="btn btn-outline btn-sm"
          disabled={report.trim() === "" || read.isPending}
          onClick={() => read.mutate()}
        >
          Read the settings
        </button>
      </div>
      {read.isError && (
        <p role="alert" className="mt-1 text-error">
          {read.error.message}
        </p>
      )}
    </details>
  );
}
