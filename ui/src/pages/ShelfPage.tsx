import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import type { Machine, Shelf, Spool } from "../api/client";
import { useShelf } from "../api/queries";
import { useToast } from "../components/Toasts";
import { AddRow } from "../features/shelf/AddRow";
import { Firmware } from "../features/shelf/Firmware";
import { FullSteps } from "../features/shelf/FullSteps";
import { Holding } from "../features/shelf/Holding";
import { Overhangs } from "../features/shelf/Overhangs";
import { RowEditor } from "../features/shelf/RowEditor";
import { RowList } from "../features/shelf/RowList";
import { Routines } from "../features/shelf/Routines";
import { KINDS, type KindInfo, type KindKey, type ShelfRow } from "../features/shelf/shelfKinds";
import { SpoolState } from "../features/shelf/SpoolState";
import { useColumnOfHeight } from "../features/shelf/useColumnOfHeight";
import { useShelfRows } from "../features/shelf/useShelfRows";

/** What recipes choose from: machines, nozzles, materials, spools and purposes, all the workshop's own. */
export default function ShelfPage() {
  // What columns use it is told beside each row, and the bench may have changed that.
  const shelf = useShelf({ fresh: true });
  const [asked, setAsked] = useSearchParams();
  const kind = KINDS.find((one) => one.key === asked.get("kind")) ?? KINDS[0];
  useEffect(() => {
    document.title = t`Shelf · Mean Bead`;
  }, []);
  const go: Go = (key, id, ask = false) =>
    setAsked({ kind: key, ...(id !== undefined && { row: String(id) }), ...(ask && { ask: "1" }) }, { replace: true });
  if (kind === undefined) return null;
  return (
    <div className="py-6">
      <h1 className="font-serif text-3xl"><Trans>Shelf</Trans></h1>
      <div role="tablist" aria-label={t`What lies on it`} className="mt-2 flex flex-wrap gap-x-1 border-b border-rule">
        {KINDS.map((one) => (
          <button
            key={one.key}
            type="button"
            role="tab"
            id={`tab-${one.key}`}
            aria-selected={one.key === kind.key}
            aria-controls="shelf-panel"
            tabIndex={one.key === kind.key ? 0 : -1}
            className={`cursor-pointer border-b-2 px-3 py-1 ${one.key === kind.key ? "border-molten font-semibold" : "border-transparent"}`}
            onClick={() => go(one.key)}
            onKeyDown={(event) => {
              const by = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
              const next = KINDS[KINDS.indexOf(one) + by];
              if (by === 0 || next === undefined) return;
              event.preventDefault();
              go(next.key);
              document.getElementById(`tab-${next.key}`)?.focus();
            }}
          >
            {one.title} <span className="text-sm text-quiet">{shelf.data?.[one.key].filter((row) => !row.removed).length}</span>
          </button>
        ))}
      </div>
      {shelf.isError && <p className="mt-6 text-error">{shelf.error.message}</p>}
      <div role="tabpanel" id="shelf-panel" aria-labelledby={`tab-${kind.key}`}>
        <p className="mt-2 max-w-3xl text-sm text-quiet">{kind.lead}</p>
        {shelf.data && <Kind key={kind.key} kind={kind} shelf={shelf.data} asked={Number(asked.get("row")) || null} ask={asked.has("ask")} go={go} />}
      </div>
    </div>
  );
}

type Go = (key: KindKey, id?: number, ask?: boolean) => void;

interface KindProps {
  kind: KindInfo;
  shelf: Shelf;
  asked: number | null;
  ask: boolean;
  go: Go;
}

function Kind({ kind, shelf, asked, ask, go }: KindProps) {
  const rows = useShelfRows(kind.key);
  const toast = useToast();
  const all = (shelf[kind.key] as ShelfRow[]).filter((row) => !row.removed);
  const picked = all.find((row) => row.id === asked) ?? all[0];
  const failed = (error: unknown) => toast(error instanceof Error ? error.message : t`It could not be done.`, { tone: "error" });
  return (
    <div className="mt-3 grid grid-cols-1 gap-5 lg:grid-cols-[260px_minmax(0,1fr)]">
      <div>
        <RowList
          kind={kind}
          all={all}
          shelf={shelf}
          picked={picked?.id}
          onPick={(id) => go(kind.key, id)}
          onMove={(row, before) => void rows.move(row, before).catch(failed)}
        />
        <AddRow kind={kind} shelf={shelf} rows={rows} onAdded={(id, other, wants) => go(other ?? kind.key, id, wants)} />
      </div>
      {picked === undefined ? (
        <p className="py-8 text-quiet"><Trans>There is none yet. Add one: every figure starts with a typical one.</Trans></p>
      ) : (
        <RowEditor
          key={picked.id}
          kind={kind}
          row={picked}
          shelf={shelf}
          rows={rows}
          onPick={(id) => go(kind.key, id)}
          above={
            kind.key === "machines" ? (
              <Holding machine={picked as Machine} shelf={shelf} rows={rows} />
            ) : kind.key === "spools" ? (
              <SpoolState spool={picked as Spool} shelf={shelf} rows={rows} />
            ) : null
          }
          below={
            kind.key === "machines" ? (
              <>
                <Steps machine={picked as Machine} shelf={shelf} />
                <Firmware machine={picked as Machine} rows={rows} open={ask} />
                <Routines machine={picked as Machine} rows={rows} />
                <p className="mt-2 text-sm">
                  <Link className="underline" to={`/shelf/machines/${picked.id}/sending`}>
                    <Trans>Files for it, and how they get there</Trans>
                  </Link>
                </p>
                <Overhangs machine={picked as Machine} rows={rows} />
              </>
            ) : null
          }
        />
      )}
    </div>
  );
}

/** Full-step heights, taken into a column of the part that was last looked at. */
function Steps({ machine, shelf }: { machine: Machine; shelf: Shelf }) {
  const navigate = useNavigate();
  const column = useColumnOfHeight(machine);
  return (
    <FullSteps
      machine={machine}
      nozzles={shelf.nozzles.map((row) => `${row.id}.${row.version}`).join()}
      into={column?.partName}
      onTake={column ? (nozzle, height) => void column.make(nozzle, height).then((part) => part !== undefined && void navigate(`/parts/${part}`)) : undefined}
    />
  );
}
