import { Trans } from "@lingui/react/macro";
import { Link } from "react-router";

/** An address that leads nowhere. */
export function LostPage() {
  return (
    <section className="py-16">
      <h1 className="font-serif text-3xl"><Trans>There is nothing at this address</Trans></h1>
      <p className="mt-2">
        <Trans>Go to the <Link to="/" className="underline">list of parts</Link>.</Trans>
      </p>
    </section>
  );
}
