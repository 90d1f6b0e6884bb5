import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link } from "react-router";
import { useMe, useNetwork } from "../api/account";
import { Reach } from "../features/people/Reach";

/** Serving to phones and other people: where, and how it comes about. */
export default function NetworkPage() {
  const me = useMe().data;
  const network = useNetwork();
  useEffect(() => {
    document.title = t`Network · Mean Bead`;
  }, []);
  if (network.isLoadingError) return <p className="py-10 text-error">{network.error.message}</p>;
  if (network.data === undefined || me === undefined) return <p className="py-10 text-quiet"><Trans>One moment …</Trans></p>;
  return (
    <div className="max-w-5xl py-6">
      <h1 className="font-serif text-3xl"><Trans>Phones and people</Trans></h1>
      {network.data.urls.length > 0 ? (
        <Reach network={network.data} />
      ) : (
        <>
          <p className="mt-1 max-w-3xl text-quiet">
            <Trans>
              This workshop answers on this machine only, and nobody needs an account. To write results at the machine with a phone, or to
              work in it with others, serve it to your own network:
            </Trans>
          </p>
          <ol className="mt-4 max-w-3xl list-decimal space-y-3 pl-5">
            <li>
              {me.may_make_owner ? (
                <>
                  <Trans>
                    <Link to="/owner" className="link">
                      Make the first account
                    </Link>
                    , which owns the workshop. From then on everybody signs in.
                  </Trans>
                </>
              ) : (
                t`The first account is there.`
              )}
            </li>
            <li>
              <Trans>
                Stop the workshop and start it with <code className="rounded-field bg-base-200 px-1">./start --network</code>. It says its address, and this page
                shows it as a code for phones.
              </Trans>
            </li>
            <li><Trans>Invite people: each with a link that works once. Owners look after people; members do all but that; guests read, and enter what came out.</Trans></li>
          </ol>
          <p className="mt-4 max-w-3xl text-sm text-quiet">
            <Trans>
              It is served with TLS, to your own network. Do not forward its port from the internet: for that, put a reverse proxy that you
              look after before it (<code>--behind-proxy</code>).
            </Trans>
          </p>
        </>
      )}
    </div>
  );
}
