import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { type SearchResult } from "../../api/client";
import { formatDuration, grouped } from "../../lib/format";
import { type Mark } from "./Cloud";
import { type Axis } from "./frontier";


interface SentenceProps {
  found: SearchResult;
  marks: readonly Mark[];
  narrowed: boolean;
  frontier: readonly number[];
  knee: number | undefined;
  axis: Axis;
  say: (number: number) => string;
  exact: boolean;
  baseName: string;
  /** What a dot will really take here, in words; empty while that is not known. */
  expect: (number: number) => string;
}

/** The answer in a sentence or two: the fastest, the leanest and the bend, each with what it gives up. */
export function Sentence({ found, marks, narrowed, frontier, knee, axis, say, exact, baseName, expect }: SentenceProps) {
  const fastest = frontier[0];
  const leanest = frontier.at(-1);
  if (fastest === undefined || leanest === undefined) {
    return <p className="border-y border-rule py-2 text-quiet">{exact || narrowed ? t`Nothing that was computed in full passes these limits.` : t`The first recipes are being computed …`}</p>;
  }
  const figures = (number: number) => {
    const m = found.dots[number]?.measures;
    return m === undefined ? "" : t`${formatDuration(m.piece_time_s)} and ${axis.show(axis.of(m))}`;
  };
  const gives = (number: number) => {
    if (!exact) return "";
    const corner = [found.fastest, found.knee, found.leanest].find((one) => one?.dot === number);
    return corner && corner.gives_up.length > 0 ? t` It gives up: ${corner.gives_up.join(", ")}.` : corner ? t` It gives up nothing.` : "";
  };
  // A column that no recipe of the line is at least as good as, in both figures: the line must not seem to be the end of it.
  const beyond = marks.filter(
    ({ measures }) =>
      !frontier.some((number) => {
        const m = found.dots[number]?.measures;
        return m !== undefined && m.piece_time_s <= 1.001 * measures.piece_time_s && axis.of(m) <= axis.of(measures) + 0.001 * Math.abs(axis.of(measures));
      }),
  );
  const base = t`${formatDuration(found.base.piece_time_s)} and ${axis.show(axis.of(found.base))}`;
  return (
    <div className="border-y border-rule py-2" data-testid="answer">
      <p className="text-sm text-quiet">
        <Trans>{baseName} takes {base}.</Trans>
      </p>
      <p>
        <strong className="font-serif text-xl"><Trans>Fastest {figures(fastest)}</Trans></strong>
        <span className="text-sm"> {say(fastest)}.{gives(fastest)}{expect(fastest)}</span>
      </p>
      {knee !== undefined && knee !== fastest && knee !== leanest && (
        <p>
          <strong className="font-serif text-xl"><Trans>At the bend {figures(knee)}</Trans></strong>
          <span className="text-sm"> {say(knee)}.{gives(knee)}{expect(knee)}</span>
        </p>
      )}
      {leanest !== fastest ? (
        <p>
          <strong className="font-serif text-xl"><Trans>Leanest {figures(leanest)}</Trans></strong>
          <span className="text-sm"> {say(leanest)}.{gives(leanest)}{expect(leanest)}</span>
        </p>
      ) : (
        <p className="text-sm"><Trans>It is the leanest, too: nothing that was allowed uses less.</Trans></p>
      )}
      {exact && beyond.length > 0 && (
        <p className="text-sm" data-testid="beyond">
          <Trans>
            Beyond the line, of your own: {beyond.map(({ name, measures }) => t`${name} with ${formatDuration(measures.piece_time_s)} and ${axis.show(axis.of(measures))}`).join("; ")}. What may vary
            here does not reach there, or a limit forbids it.
          </Trans>
        </p>
      )}
      <p className="text-sm text-quiet" data-testid="sure">
        {narrowed
          ? t`Of those computed in full: lighter dots are known from a sample of layers only.`
          : !exact
            ? t`Not final: recipes are still being computed.`
            : found.proven
              ? t`Sure within 1 %: of ${found.computed} recipes looked at, ${found.in_full} were computed in full, and none of the others could beat the line by more.${found.complete ? "" : t` The space holds ${grouped(found.space)}: what was not looked at may still be better.`}`
              : found.doubt}
      </p>
    </div>
  );
}
