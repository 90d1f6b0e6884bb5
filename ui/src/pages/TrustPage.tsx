import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link } from "react-router";
import { useNetwork } from "../api/account";
import { Reach } from "../features/people/Reach";
import { Mark } from "../components/Mark";

/** For a phone that warns, before anybody is signed in. */
export default function TrustPage() {
  const network = useNetwork();
  useEffect(() => {
    document.title = t`Trust · Mean Bead`;
  }, []);
  return (
    <main className="mx-auto max-w-4xl px-5 py-8">
      <Link to="/" className="flex items-center gap-2 font-serif text-xl tracking-tight">
        <Mark />
        <Trans>Mean Bead</Trans>
      </Link>
      <h1 className="mt-6 font-serif text-3xl"><Trans>Your phone and this workshop</Trans></h1>
      {network.data === undefined ? (
        <p className="py-6 text-quiet">{network.isError ? network.error.message : t`One moment …`}</p>
      ) : network.data.urls.length > 0 ? (
        <Reach network={network.data} />
      ) : (
        <p className="py-6 text-quiet"><Trans>This workshop answers on its own machine only: there is nothing to trust.</Trans></p>
      )}
    </main>
  );
}
