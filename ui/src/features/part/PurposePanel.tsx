import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Limits, type Part, type Purpose } from "../../api/client";
import type { PartChange } from "./savePart";
import { keys, useShelf } from "../../api/queries";
import { parseNumber, plain } from "../../lib/format";
import { useHistory } from "../../components/history";
import { inLine } from "../../lib/inLine";
import { useToast } from "../../components/Toasts";

interface PurposePanelProps {
  part: Part;
  save: (change: PartChange, label: string) => Promise<void>;
}

const LIMITS: readonly { key: keyof Limits; label: string; unit: string; scale: number; what: string }[] = [
  { key: "ridge_mm", label: "Highest step on slopes", unit: "mm", scale: 1, what: "Layer height times the cosine of the slope, where it shows." },
  { key: "detail_mm", label: "Narrowest detail to keep", unit: "mm", scale: 1, what: "What is narrower may be lost." },
  { key: "shell_mm", label: "Least shell", unit: "mm", scale: 1, what: "Walls together." },
  { key: "infill_density", label: "Least infill", unit: "%", scale: 100, what: "Share of the inside that is plastic." },
  { key: "flow_margin", label: "Flow kept free", unit: "%", scale: 100, what: "Of the melt ceiling." },
  { key: "outer_speed_mm_s", label: "Fastest outer wall", unit: "mm/s", scale: 1, what: "Where ripple would show." },
];

/** What the part is for, how many are wanted and by when; and the limits that the purpose sets. */
export function PurposePanel({ part, save }: PurposePanelProps) {
  const shelf = useShelf();
  const purposes = shelf.data?.purposes ?? [];
  const purpose = purposes.find((one) => one.id === part.purpose_id);
  const [count, setCount] = useState<string | null>(null);
  const commitCount = () => {
    const wanted = count === null ? NaN : parseNumber(count);
    setCount(null);
    if (Number.isInteger(wanted) && wanted > 0 && wanted !== part.quantity) void save({ quantity: wanted }, `how many of ${part.name}`);
  };
  return (
    <div className="space-y-3 text-sm">
      <div role="group" aria-label="What it is for" className="flex flex-wrap gap-1">
        {purposes.map((one) => (
          <button
            key={one.id}
            type="button"
            aria-pressed={one.id === part.purpose_id}
            className={`btn btn-sm ${one.id === part.purpose_id ? "btn-neutral" : "btn-outline"}`}
            onClick={() => void save({ purpose_id: one.id === part.purpose_id ? null : one.id }, `what ${part.name} is for`)}
          >
            {one.name}
          </button>
        ))}
      </div>
      <div className="flex flex-wrap gap-4">
        <label>
          How many{" "}
          <input
            className="input input-xs w-20 border-rule bg-base-100"
            inputMode="numeric"
            value={count ?? String(part.quantity)}
            onChange={(event) => setCount(event.target.value)}
            onBlur={commitCount}
            onKeyDown={(event) => event.key === "Enter" && commitCount()}
          />
        </label>
        <label>
          By{" "}
          <input
            type="date"
            className="input input-xs w-36 border-rule bg-base-100"
            value={part.due_on ?? ""}
            onChange={(event) => void save({ due_on: event.target.value || null }, `when ${part.name} is due`)}
          />
        </label>
      </div>
      {purpose ? (
        <LimitsOf key={purpose.id} purpose={purpose} />
      ) : (
        <p className="text-quiet">Choose what it is for: that sets how good is good enough. Its limits can be changed here.</p>
      )}
    </div>
  );
}

function LimitsOf({ purpose }: { purpose: Purpose }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const [typed, setTyped] = useState<Partial<Record<keyof Limits, string>>>({});
  // Each limit is written by itself, onto what stands when its turn comes.
  const store = (key: keyof Limits, value: number | null) =>
    inLine(`purpose ${purpose.id}`, async () => {
      const shelf = queries.getQueryData<{ purposes: Purpose[] }>(keys.shelf);
      const standing = shelf?.purposes.find((one) => one.id === purpose.id) ?? purpose;
      const limits = { ...standing.limits, [key]: value };
      const path = { purpose_id: purpose.id };
      take(await api.PATCH("/api/purposes/{purpose_id}", { params: { path }, body: { version: standing.version, limits } }));
      await queries.invalidateQueries({ queryKey: keys.shelf });
    });
  const save = useMutation({
    mutationFn: ({ key, value }: { key: keyof Limits; value: number | null }) => store(key, value),
    onSuccess: (_, { key, value }) => {
      const before = purpose.limits[key] ?? null;
      history.push({
        label: `the limits of ${purpose.name}`,
        undo: () => store(key, before),
        redo: () => store(key, value),
      });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const forget = (key: keyof Limits) => setTyped((all) => ({ ...all, [key]: undefined }));
  const commit = (key: keyof Limits, scale: number) => {
    const text = typed[key];
    if (text === undefined) return;
    forget(key);
    const value = text.trim() === "" ? null : parseNumber(text) / scale;
    if (value !== null && Number.isNaN(value)) toast(`“${text}” is not a number.`, { tone: "error" });
    else if (value !== (purpose.limits[key] ?? null)) save.mutate({ key, value });
  };
  return (
    <section aria-label={`Limits of ${purpose.name}`}>
      <h3 className="font-serif text-lg">{purpose.name}: good enough means</h3>
      <table className="w-full">
        <tbody>
          {LIMITS.map(({ key, label, unit, scale, what }) => {
            const value = purpose.limits[key];
            return (
              <tr key={key} className="border-t border-base-300">
                <th scope="row" className="py-1 pr-2 text-left font-normal">
                  {label}
                  <span className="block text-xs text-quiet">{what}</span>
                </th>
                <td className="whitespace-nowrap text-right">
                  <input
                    className="input input-xs w-20 border-rule bg-base-100 text-right"
                    aria-label={`${label}, ${unit}`}
                    placeholder="no limit"
                    inputMode="decimal"
                    value={typed[key] ?? (value == null ? "" : plain(value * scale))}
                    onChange={(event) => setTyped((all) => ({ ...all, [key]: event.target.value }))}
                    onBlur={() => commit(key, scale)}
                    onKeyDown={(event) => {
                      if (event.key === "Enter") commit(key, scale);
                      if (event.key === "Escape") forget(key);
                    }}
                  />{" "}
                  <span className="inline-block w-10 text-left text-quiet">{unit}</span>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="mt-1 text-quiet">They hold for every part that is a {purpose.name.toLowerCase()}. An empty one sets no limit.</p>
    </section>
  );
}
