import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useCallback, useMemo, useState } from "react";
import type { Part, Preview, RecipeColumn, Shelf } from "../../api/client";
import { useCommands, type Command } from "../../components/commands";
import { Over } from "../../components/Over";
import { Tabs } from "../../components/Tabs";
import { useToast } from "../../components/Toasts";
import { useRemembered } from "../../lib/remembered";
import { formatDurationDifference } from "../../lib/format";
import { applyBeside, applyHere } from "../advice/apply";
import { Cautions, FindingsBrief } from "../advice/FindingsBrief";
import { FindingsPanel } from "../advice/FindingsPanel";
import { LeversPanel } from "../advice/LeversPanel";
import { NextMoves } from "../advice/NextMoves";
import { useNextMoves } from "../advice/useNextMoves";
import { BeadDrawing } from "../bead/BeadDrawing";
import { FlowGauge } from "../bead/FlowGauge";
import { FIELDS } from "../sheet/fields";
import { RESULTS } from "../sheet/results";
import { RowHelp } from "../sheet/RowHelp";
import type { ColumnState } from "../sheet/ResultCell";
import type { Focus } from "../sheet/sheetTypes";
import type { SheetActions } from "../sheet/useSheet";

type Face = "next" | "row" | "bead";

const FACES = [
  { key: "next", name: t`Next move`, press: "Alt+N" },
  { key: "row", name: t`This row`, press: "Alt+R" },
  { key: "bead", name: t`Bead`, press: "Alt+B" },
] as const;

interface SidePanelProps {
  part: Part;
  column: RecipeColumn;
  state: ColumnState | undefined;
  shelf: Shelf | undefined;
  actions: SheetActions;
  focus: Focus;
  /** Whether somebody has put the focus there: the page's own first one turns no page. */
  touched: boolean;
  preview: Preview | undefined;
  /** Why what is being typed cannot be drawn. */
  problem: string | null;
}

/** Beside the sheet, always in view: the next move, what the row in focus means, or the bead. */
export function SidePanel({ part, column, state, shelf, actions, focus, touched, preview, problem }: SidePanelProps) {
  // What is looked at where the row in focus brings up nothing of its own.
  const [usual, setUsual] = useRemembered<Face>("bench-face", FACES.map((face) => face.key), "next");
  const [called, setCalled] = useState<Face | null>(null);
  const [all, setAll] = useState<"" | "levers" | "findings">("");
  const row = focus.row;
  const at = touched ? row : "";
  const [last, setLast] = useState(at);
  if (last !== at) {
    setLast(at);
    setCalled(faceOf(row));
  }
  const wanted = called ?? usual;
  const face: Face = wanted === "bead" && preview === undefined ? "next" : wanted;
  const show = useCallback(
    (next: Face) => {
      setCalled(null);
      setUsual(next);
    },
    [setUsual],
  );
  const ready = state !== undefined && !state.pending && state.error === null;
  const refused = state !== undefined && !state.pending && state.error !== null;
  const moves = useNextMoves(column, part, ready && face === "next");
  usePanelCommands({ column, actions, moves: moves.isPlaceholderData ? undefined : moves.data?.moves, show, setAll });
  return (
    <Tabs label={t`The column in focus`} tabs={FACES} shown={face} onShow={show}>
      {face === "next" && (
        <div className="space-y-2">
          {column.gcode ? (
            <p className="text-sm text-quiet"><Trans>A replayed file cannot be changed. Put the focus on another column for its next move.</Trans></p>
          ) : refused ? (
            <p className="text-sm text-quiet"><Trans>This recipe has no figures: the message in its column gives the reason. Changes that save time appear once it has.</Trans></p>
          ) : (
            <NextMoves column={column} actions={actions} ready={ready} answer={moves} onAll={() => setAll("levers")} />
          )}
          <FindingsBrief
            part={part}
            column={column}
            ready={ready}
            refused={refused}
            tries={moves.data?.done === true && !moves.isPlaceholderData}
            actions={actions}
            onAll={() => setAll("findings")}
          />
        </div>
      )}
      {face === "row" && <RowHelp row={row} state={state} shelf={shelf} actions={actions} />}
      {face === "bead" && preview && (
        <>
          <BeadDrawing preview={preview} name={column.name} />
          {problem && (
            <p className="text-sm text-error" role="alert">
              {problem}
            </p>
          )}
          <FlowGauge preview={preview} />
        </>
      )}
      {face !== "next" && <Cautions part={part} column={column} ready={ready} actions={actions} />}
      {all === "levers" && (
        <Over title={t`What to change next`} of={t`in ${column.name}`} onClose={() => setAll("")}>
          <LeversPanel part={part} column={column} actions={actions} />
        </Over>
      )}
      {all === "findings" && (
        <Over title={t`What stands out`} of={t`in ${column.name}`} onClose={() => setAll("")}>
          <FindingsPanel part={part} column={column} ready={ready} actions={actions} />
        </Over>
      )}
    </Tabs>
  );
}

/** The rows that shape a bead. */
const BEAD_GROUP = FIELDS.find((field) => field.key === "layer_height_mm")?.group;

/** The face that a row brings up by itself: the bead for what shapes it or its flow, the figure's own story for a result. */
function faceOf(row: string): Face | null {
  if (RESULTS.some((result) => result.key === row)) return "row";
  const field = FIELDS.find((one) => one.key === row);
  const flows = row === "nozzle" || row === "nozzle_temp_c" || (row.startsWith("speed_mm_s.") && row !== "speed_mm_s.travel");
  return flows || field?.group === BEAD_GROUP ? "bead" : null;
}

interface PanelCommands {
  column: RecipeColumn;
  actions: SheetActions;
  moves: NonNullable<ReturnType<typeof useNextMoves>["data"]>["moves"] | undefined;
  show: (face: Face) => void;
  setAll: (which: "levers" | "findings") => void;
}

function usePanelCommands({ column, actions, moves, show, setAll }: PanelCommands) {
  const toast = useToast();
  const commands = useMemo<Command[]>(() => {
    const failed = (error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" });
    const group = t`Beside the sheet`;
    const levers = moves ? [...moves.best, ...(moves.together ? [moves.together] : [])] : [];
    return [
      ...FACES.map(({ key, name, press }) => ({ name: t`Show: ${name.toLowerCase()}`, group, press, run: () => show(key) })),
      { name: t`All changes worth considering`, group, press: "Alt+A", words: t`levers save`, run: () => setAll("levers") },
      { name: t`All findings, with reasons`, group, press: "Alt+S", words: t`stands out risk caution waste`, run: () => setAll("findings") },
      ...levers.flatMap((lever, at) => [
        {
          name: t`Apply: ${lever.label}, ${formatDurationDifference(lever.time_s)}`,
          group: column.name,
          press: `Alt+Shift+${at + 1}`,
          run: () => void applyHere(actions, column, lever.settings, lever.label).catch(failed),
        },
        {
          name: t`As a new column: ${lever.label}, ${formatDurationDifference(lever.time_s)}`,
          group: column.name,
          run: () => void applyBeside(actions, column, lever.settings, lever.label).catch(failed),
        },
      ]),
    ];
  }, [actions, column, moves, show, setAll, toast]);
  useCommands(commands);
}
