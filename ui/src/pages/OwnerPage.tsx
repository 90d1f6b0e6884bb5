import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link, useNavigate } from "react-router";
import { useMe } from "../api/account";
import { api, take } from "../api/client";
import { AccountForm } from "../features/people/AccountForm";
import { Paper } from "../features/people/Paper";

/** The first account, which owns the workshop. Made at its own machine. */
export default function OwnerPage() {
  const me = useMe();
  const go = useNavigate();
  useEffect(() => {
    document.title = t`Owner · Mean Bead`;
  }, []);
  if (me.data === undefined) return <p className="p-10 text-quiet"><Trans>One moment …</Trans></p>;
  if (!me.data.may_make_owner) {
    return (
      <Paper title={t`There is an owner`}>
        <p className="mt-3 text-quiet">
          <Trans>
            The first account is made at the workshop&apos;s own machine, while there is none.{" "}
            <Link className="link" to="/">
              Go on
            </Link>
          </Trans>
        </p>
      </Paper>
    );
  }
  return (
    <Paper title={t`Who owns this workshop?`}>
      <p className="mt-2 text-quiet">
        <Trans>
          An owner looks after people and the network. From then on everybody signs in, on this machine too; what is in the workshop
          stays as it is.
        </Trans>
      </p>
      <AccountForm
        fresh
        asksToRemember={false}
        button={t`Make the first account`}
        send={async ({ name, passphrase }) => take(await api.POST("/api/owner", { body: { name, passphrase } }))}
        onDone={() => void go("/network")}
      />
    </Paper>
  );
}
