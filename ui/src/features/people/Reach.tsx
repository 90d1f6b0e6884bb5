import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Network } from "../../api/client";
import { moment } from "../../lib/format";

/** Where phones open the workshop, and how they come to trust it. */
export function Reach({ network }: { network: Network }) {
  return (
    <>
      <section aria-labelledby="where" className="mt-5 flex flex-wrap items-start gap-6">
        {network.qr && <img src={network.qr} alt={t`The address as a QR code`} className="w-48 bg-white" />}
        <div className="min-w-60 flex-1">
          <h2 id="where" className="font-serif text-2xl">
            <Trans>Open it on a phone</Trans>
          </h2>
          <p className="text-sm text-quiet"><Trans>Point the phone&apos;s camera at the code, or type one of these. The phone has to be on the same network.</Trans></p>
          <ul className="mt-2">
            {network.urls.map((url) => (
              <li key={url} className="font-mono text-sm">
                {url}
              </li>
            ))}
          </ul>
        </div>
      </section>
      {network.own_authority && (
        <section aria-labelledby="trust" className="mt-8">
          <h2 id="trust" className="font-serif text-2xl">
            <Trans>Have a phone trust it</Trans>
          </h2>
          <p className="max-w-3xl text-quiet">
            <Trans>
              The workshop has made its own certificate, so phones warn at the first visit, once. Trusting it takes the warning away, for
              good: renewals follow by themselves. It is needed for reading without a connection. It can speak for private addresses and
              this machine only.
            </Trans>
          </p>
          <div className="mt-3 grid gap-6 md:grid-cols-3">
            {network.trust.map((way) => (
              <div key={way.device}>
                <h3 className="font-semibold">{way.device}</h3>
                <ol className="ml-4 list-decimal text-sm">
                  {way.steps.map((step) => (
                    <li key={step} className="mt-1">
                      {step}
                    </li>
                  ))}
                </ol>
              </div>
            ))}
          </div>
          <p className="mt-4">
            <a className="btn btn-outline btn-sm" href="/api/network/authority.crt" download="mean-bead-workshop.crt">
              <Trans>Download the certificate</Trans>
            </a>
          </p>
          <p className="mt-3 text-sm text-quiet"><Trans>Its SHA-256 fingerprint. Compare it with what this page shows at the workshop&apos;s own machine:</Trans></p>
          <p className="break-all font-mono text-xs">{network.fingerprint}</p>
        </section>
      )}
      {network.certificate_ends_at && (
        <p className="mt-3 text-sm text-quiet">
          <Trans>
            The certificate in use lasts until {moment(network.certificate_ends_at)}
            {network.own_authority ? t`; it is renewed a month before.` : ". It is yours: have it renewed in time."}
          </Trans>
        </p>
      )}
    </>
  );
}
