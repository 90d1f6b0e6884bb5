import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { Link } from "react-router";
import type { Part, Purpose } from "../../api/client";
import type { PartChange } from "./savePart";
import { useShelf } from "../../api/queries";
import { parseNumber } from "../../lib/format";
import { Figure } from "../shelf/Figure";
import { changeOf } from "../shelf/RowEditor";
import { KINDS } from "../shelf/shelfKinds";
import { valueAt } from "../shelf/tree";
import { useShelfRows } from "../shelf/useShelfRows";

interface PurposePanelProps {
  part: Part;
  save: (change: PartChange, label: string) => Promise<void>;
}

/** What the part is for, how many are wanted and by when; and the limits that the purpose sets. */
export function PurposePanel({ part, save }: PurposePanelProps) {
  const shelf = useShelf();
  const purposes = (shelf.data?.purposes ?? []).filter((one) => !one.removed || one.id === part.purpose_id);
  const purpose = purposes.find((one) => one.id === part.purpose_id);
  const [count, setCount] = useState<string | null>(null);
  const commitCount = () => {
    const wanted = count === null ? NaN : parseNumber(count);
    setCount(null);
    if (Number.isInteger(wanted) && wanted > 0 && wanted !== part.quantity) void save({ quantity: wanted }, t`how many of ${part.name}`);
  };
  return (
    <div className="space-y-3 text-sm">
      <div role="group" aria-label={t`What it is for`} className="flex flex-wrap gap-1">
        {purposes.map((one) => (
          <button
            key={one.id}
            type="button"
            aria-pressed={one.id === part.purpose_id}
            className={`btn btn-sm ${one.id === part.purpose_id ? "btn-neutral" : "btn-outline"}`}
            onClick={() => void save({ purpose_id: one.id === part.purpose_id ? null : one.id }, t`what ${part.name} is for`)}
          >
            {one.name}
            {one.removed && t`, removed`}
          </button>
        ))}
      </div>
      <div className="flex flex-wrap gap-4">
        <label>
          <Trans>How many</Trans>{" "}
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
          <Trans>By</Trans>{" "}
          <input
            type="date"
            className="input input-xs w-36 border-rule bg-base-100"
            value={part.due_on ?? ""}
            onChange={(event) => void save({ due_on: event.target.value || null }, t`when ${part.name} is due`)}
          />
        </label>
      </div>
      {purpose ? (
        <LimitsOf key={purpose.id} purpose={purpose} />
      ) : (
        <p className="text-quiet"><Trans>Choose what it is for: that sets how good is good enough. Its limits can be changed here.</Trans></p>
      )}
    </div>
  );
}

function LimitsOf({ purpose }: { purpose: Purpose }) {
  const rows = useShelfRows("purposes");
  const kind = KINDS.find((one) => one.key === "purposes");
  if (kind === undefined) return null;
  return (
    <section aria-label={t`Limits of ${purpose.name}`}>
      <h3 className="font-serif text-lg"><Trans>{purpose.name}: good enough means</Trans></h3>
      {kind.fields.map((field) => (
        <Figure
          key={field.path.join(".")}
          field={field}
          unit={field.unit ?? ""}
          stored={valueAt(purpose, field.path)}
          source={null}
          save={(value) =>
            rows.edit(purpose, (now) => changeOf(kind, now, field, value), (before) => ({ limits: (before as Purpose).limits }), t`the limits of ${purpose.name}`)
          }
          onSource={() => undefined}
        />
      ))}
      <p className="mt-1 text-quiet">
        <Trans>
          They hold for every part that is a {purpose.name.toLowerCase()}, and fill in what its recipes leave open. An empty one
          sets no limit. <Link className="underline" to={`/shelf?kind=purposes&row=${purpose.id}`}>All purposes</Link>
        </Trans>
      </p>
    </section>
  );
}
