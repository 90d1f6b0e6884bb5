import { Trans } from "@lingui/react/macro";
import { Link } from "react-router";
import type { Since } from "../../api/client";
import { moment } from "../../lib/format";
import { Differences } from "./Differences";

/** First of all: what came loose, wore out, drew water or was changed. */
export function SinceGood({ since }: { since: Since }) {
  return (
    <section aria-labelledby="first">
      <h2 id="first" className="font-serif text-2xl">
        <Trans>1. Anything loose, worn, wet or changed?</Trans>
      </h2>
      <p className="max-w-prose">
        {since.verdict}
        {since.good && (
          <>
            {" "}
            <Trans>
              The last good run was{" "}
              <Link className="underline" to={`/log/${since.good.id}`}>
                #{since.good.id} {since.good.name}
              </Link>
              , {moment(since.good.started_at)}.
            </Trans>
          </>
        )}
      </p>
      <ul className="mt-2 grid gap-x-8 sm:grid-cols-2">
        {since.looks.map((look, at) => (
          <li key={at} className="flex gap-2 border-t border-base-300 py-1.5">
            <span aria-hidden="true" className={look.suspect ? "text-molten" : "text-quiet"}>
              {look.suspect ? "●" : "○"}
            </span>
            <span>
              <span className={look.suspect ? "font-semibold" : ""}>{look.what}</span>
              {look.suspect && <span className="sr-only"> <Trans>(suspect)</Trans></span>}
              <span className="block text-sm text-quiet">{look.says}</span>
            </span>
          </li>
        ))}
      </ul>
      {since.good && (
        <details className="mt-2">
          <summary className="cursor-pointer"><Trans>Settings since then</Trans></summary>
          <div className="mt-1">
            <Differences changed={since.changed} />
          </div>
        </details>
      )}
    </section>
  );
}
