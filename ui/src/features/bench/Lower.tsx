import { t } from "@lingui/core/macro";
import { memo, useCallback, useMemo } from "react";
import { useNavigate } from "react-router";
import type { Estimate, Part, RecipeColumn } from "../../api/client";
import { useCommands, type Command } from "../../components/commands";
import { Tabs } from "../../components/Tabs";
import { useRemembered } from "../../lib/remembered";
import { HeightProfile } from "../ledger/HeightProfile";
import { Ledger } from "../ledger/Ledger";
import { WaterfallPanel } from "../ledger/WaterfallPanel";

const FACES = [
  { key: "ledger", name: t`Where it goes`, press: "Alt+W" },
  { key: "difference", name: t`What makes the difference`, press: "Alt+M" },
  { key: "height", name: t`By height`, press: "Alt+H" },
] as const;

type Face = (typeof FACES)[number]["key"];

interface LowerProps {
  part: Part;
  columns: RecipeColumn[];
  entries: { name: string; column: RecipeColumn; estimate: Estimate }[];
}

/** Under the sheet: where minutes and grams go, three faces of one area. */
export const Lower = memo(function Lower({ part, columns, entries }: LowerProps) {
  const navigate = useNavigate();
  const [face, show] = useRemembered<Face>("bench-lower", FACES.map((one) => one.key), "ledger");
  const commands = useMemo<Command[]>(
    () =>
      FACES.map(({ key, name, press }) => ({
        name: t`Show: ${name.toLowerCase()}`,
        group: t`Under the sheet`,
        press,
        run: () => {
          show(key);
          document.getElementById("lower")?.scrollIntoView({ block: "start" });
        },
      })),
    [show],
  );
  useCommands(commands);
  const pick = useCallback(
    (column: RecipeColumn, key: string, byCause: boolean) => void navigate(`/parts/${part.id}/layers?column=${column.id}&${byCause ? "cause" : "feature"}=${key}`),
    [navigate, part.id],
  );
  return (
    <div id="lower" className="mt-5 scroll-mt-2">
      <Tabs label={t`Where it goes`} tabs={FACES} shown={face} onShow={show}>
        {face === "ledger" && (
          <Ledger entries={entries} onPick={pick} />
        )}
        {face === "difference" && <WaterfallPanel columns={columns} />}
        {face === "height" && <HeightProfile part={part} columns={columns.filter((column) => !column.gcode)} />}
      </Tabs>
    </div>
  );
});
