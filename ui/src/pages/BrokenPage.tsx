import { Trans } from "@lingui/react/macro";
import { useRouteError } from "react-router";

/** Where a page could not be fetched, or fell over: what happened, and how to go on. */
export function BrokenPage() {
  const error = useRouteError();
  return (
    <section className="mx-auto max-w-(--page) px-4 py-16" role="alert">
      <h1 className="font-serif text-3xl"><Trans>This page could not be shown</Trans></h1>
      <p className="mt-2">
        <Trans>What was entered is kept.</Trans>{" "}
        <button type="button" className="underline" onClick={() => window.location.reload()}>
          <Trans>Load it again</Trans>
        </button>
        <Trans>; if that does not help, see whether Mean Bead is still running.</Trans>
      </p>
      {error instanceof Error && <p className="mt-2 text-sm text-quiet">{error.message}</p>}
    </section>
  );
}
