import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { Finding, Part, RecipeColumn, Shelf } from "../../api/client";
import { useColumnFindings, useEnding } from "../../api/queries";
import { useHistory } from "../../components/history";
import { savePart } from "../part/savePart";
import { Cell } from "./Cell";
import { spreadOf } from "./results";
import { storyOf } from "./story";
import type { ColumnState } from "./ResultCell";
import type { CellShared, Focus } from "./sheetTypes";
import type { SheetActions } from "./useSheet";

interface SheetHeadProps {
  part: Part;
  columns: ColumnState[];
  shelf: Shelf | undefined;
  /** What stands over the rows' names. */
  corner: ReactNode;
  focus: Focus;
  actions: SheetActions;
  shared: (row: string, column: number) => CellShared;
  onProblem: (error: unknown) => void;
}

/** The columns' names, and what can be done with each. */
export function SheetHead({ part, columns, shelf, corner, focus, actions, shared, onProblem }: SheetHeadProps) {
  const queries = useQueryClient();
  const history = useHistory();
  const first = columns[0]?.column;
  const findings = useColumnFindings(columns.map(({ column, pending, error }) => ({ column, ready: !pending && error === null })), part);
  const chosen = columns.find(({ column }) => column.id === part.chosen_id)?.column.id ?? columns[0]?.column.id;
  return (
    <thead className="lg:sticky lg:top-0 lg:z-20 lg:bg-base-100">
      <tr>
        <td className="sticky left-0 z-10 w-[7.5rem] bg-base-100 px-2 align-bottom sm:w-[11.5rem]">{corner}</td>
        {columns.map(({ column, estimate, pending }, index) => (
          <th
            key={column.id}
            scope="col"
            className={`border-l border-rule p-0 text-left align-bottom font-normal ${
              focus.column === column.id ? "border-t-2 border-t-molten" : "border-t-2 border-t-transparent"
            }`}
          >
            <div className="@container flex gap-0.5 px-1 pt-1">
              <button
                type="button"
                className="btn btn-ghost btn-xs px-1 font-normal text-quiet"
                onClick={() => void actions.duplicate(column.id).catch(onProblem)}
                aria-label={t`Duplicate ${column.name}`}
              >
                <Trans>Duplicate</Trans>
              </button>
              <button
                type="button"
                className="btn btn-ghost btn-xs px-1 font-normal text-quiet"
                onClick={() => void actions.remove(column).catch(onProblem)}
                aria-label={t`Remove ${column.name}`}
              >
                <Trans>Remove</Trans>
              </button>
              <button
                type="button"
                className={`btn btn-ghost btn-xs ml-auto min-w-6 px-1 font-normal ${column.id === chosen ? "text-base-content" : "text-quiet"}`}
                aria-pressed={column.id === chosen}
                aria-label={column.id === chosen ? t`${column.name} is the chosen recipe` : t`Choose ${column.name} for this part`}
                title={column.id === chosen ? t`The recipe of this part: the list of parts shows it` : t`Make it the recipe of this part`}
                onClick={() => {
                  if (column.id !== part.chosen_id)
                    savePart(queries, history, part.id, { chosen_id: column.id }, t`the recipe of ${part.name}`).catch(onProblem);
                }}
              >
                {column.id === chosen ? "◆" : "◇"}
                <span className="@max-[11rem]:hidden">{column.id === chosen ? t`chosen` : t`choose`}</span>
              </button>
            </div>
            <div className="font-serif text-lg">
              <Cell
                {...shared("name", column.id)}
                label={t`Name of recipe ${index + 1}`}
                shown={column.name}
                open={false}
                differs={false}
                onCommit={(text) => {
                  if (text.trim() === "") return Promise.reject(new Error(t`A recipe needs a name.`));
                  return actions.edit({ recipe: column.id, key: "name", value: text }, t`the name of ${column.name}`);
                }}
              />
            </div>
            <p className="flex items-baseline gap-1 pl-[17px] pr-1 text-xs text-quiet">
              <Story column={column} first={first} shelf={shelf} spread={estimate && !pending ? spreadOf(estimate) : ""} />
              <Marks findings={findings[index]} />
            </p>
            <Ends whole_time_s={estimate?.whole_time_s} />
          </th>
        ))}
      </tr>
    </thead>
  );
}

/** What makes a column another than the first, and how sure its time is. */
function Story({ column, first, shelf, spread }: { column: RecipeColumn; first: RecipeColumn | undefined; shelf: Shelf | undefined; spread: string }) {
  const story = first ? storyOf(column, first, shelf) : "";
  const told = [story || t`the first: others are set against it`, spread].filter(Boolean).join(" · ");
  return (
    <span className="min-w-0 flex-1 truncate" title={told}>
      {told}
    </span>
  );
}

const GRAVITY: readonly Finding["severity"][] = ["stop", "risk", "caution", "waste", "note"];
const STYLE: Record<Finding["severity"], string> = {
  stop: "border-error bg-error text-error-content",
  risk: "border-warning text-warning",
  caution: "border-error text-error",
  waste: "border-info text-info",
  note: "border-rule text-quiet",
};

const GRAVITY_WORD: Record<Finding["severity"], string> = { stop: t`stop`, risk: t`risk`, caution: t`caution`, waste: t`waste`, note: t`note` };

/** How many things stand out, and the gravest of them. */
function Marks({ findings }: { findings: readonly Finding[] | undefined }) {
  const worst = GRAVITY.find((one) => findings?.some((finding) => finding.severity === one));
  if (!findings || worst === undefined) return null;
  const count = findings.filter((finding) => finding.severity !== "note").length;
  const text = count === 0 ? plural(findings.length, { one: "# note", other: "# notes" }) : `${count} · ${GRAVITY_WORD[worst]}`;
  return (
    <span className={`whitespace-nowrap rounded-field border px-1 leading-4 ${STYLE[worst]}`} title={t`${findings.length} findings, the gravest a ${GRAVITY_WORD[worst]}: ${findings[0]?.sentence ?? ""}`}>
      {text}
    </span>
  );
}

/** A quiet fact: that nobody is there when it ends. */
function Ends({ whole_time_s }: { whole_time_s: number | undefined }) {
  const ending = useEnding(whole_time_s);
  if (!ending.data) return null;
  return (
    <p
      className="truncate pb-0.5 pl-[17px] text-xs text-quiet"
      title={t`${ending.data} The trade-off shows which recipes end in time. Printing unattended is a fire risk: a smoke alarm, clear surroundings, the maker’s and the insurer’s terms.`}
    >
      {ending.data.replace(/^Started [^,]*, it /, "")}
    </p>
  );
}
