import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Over } from "./Over";
import { useAllCommands } from "./commands";

/** Keys that are no command: those inside the sheet, by page. */
const SHEET: readonly [string, string][] = [
  [t`Arrows`, t`move between cells`],
  [t`Shift and arrows`, t`mark cells`],
  [t`A value, Enter or F2`, t`edit the cell; Enter keeps, Esc reverts, empty is the default`],
  [t`Alt ↑ ↓`, t`step the value up or down`],
  [t`Ctrl+C, Ctrl+V`, t`to and from a spreadsheet`],
];

/** The keys of the page as it stands. */
export function KeysHelp({ onClose }: { onClose: () => void }) {
  const commands = useAllCommands().filter((command) => command.press !== undefined);
  const groups = [...new Set(commands.map((command) => command.group))];
  const inSheet = document.querySelector("[data-testid=sheet]") !== null;
  return (
    <Over title={t`Keys of this page`} onClose={onClose}>
      {groups.map((group) => (
        <Keys key={group} title={group} keys={commands.filter((command) => command.group === group).map((command) => [command.press ?? "", command.name])} />
      ))}
      {inSheet && <Keys title={t`In the sheet`} keys={SHEET} />}
      <Keys
        title={t`Anywhere`}
        keys={[
          [t`Ctrl+Z`, t`undo the last step of this visit`],
          [t`Ctrl+Shift+Z`, t`do it again`],
          [t`Tab`, t`go to the next control`],
        ]}
      />
      <p className="mt-4 text-sm text-quiet"><Trans>Ctrl is Cmd, and Alt is Option, on keyboards that have these instead.</Trans></p>
    </Over>
  );
}

function Keys({ title, keys }: { title: string; keys: readonly (readonly [string, string])[] }) {
  return (
    <section className="mb-4">
      <h3 className="font-serif text-lg">{title}</h3>
      <dl className="grid grid-cols-[11rem_1fr] gap-x-3 text-sm">
        {keys.map(([press, does]) => (
          <div key={press + does} className="contents">
            <dt className="border-t border-base-300 py-1">
              <kbd className="kbd kbd-sm whitespace-nowrap">{press}</kbd>
            </dt>
            <dd className="border-t border-base-300 py-1">{does}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
