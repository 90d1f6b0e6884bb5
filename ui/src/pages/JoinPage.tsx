import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { api, take } from "../api/client";
import { AccountForm } from "../features/people/AccountForm";
import { Paper } from "../features/people/Paper";
import { whatRolesDo } from "../features/people/roles";

/** An invitation is taken: a name, a passphrase of one's own, and this device is signed in. */
export default function JoinPage() {
  const go = useNavigate();
  // Behind the #, so that it is sent to no server but in the body; and out of the address, so that it stays in no history.
  const [token] = useState(() => window.location.hash.slice(1));
  useEffect(() => {
    document.title = t`Invitation · Mean Bead`;
    window.history.replaceState(window.history.state, "", "/join");
  }, []);
  const look = useQuery({
    queryKey: ["invitation", token],
    queryFn: async () => take(await api.POST("/api/invitations/look", { body: { token } })),
    enabled: token !== "",
    retry: false,
    staleTime: Infinity,
  });
  if (token === "" || look.isError) {
    return (
      <Paper title={t`This invitation does not work`}>
        <p className="mt-3 text-quiet">{look.error?.message ?? t`Its link is not whole. Open it again, or ask for a new one.`}</p>
      </Paper>
    );
  }
  if (look.data === undefined) return <p className="p-10 text-quiet"><Trans>One moment …</Trans></p>;
  const { name, role, made_by } = look.data;
  return (
    <Paper title={name ? t`A new passphrase, ${name}` : t`Welcome to the workshop`}>
      <p className="mt-2 text-quiet">
        {name ? t`${made_by} has let you choose a new one. Your other devices will be signed out.` : t`${made_by} invites you as a ${role}: ${whatRolesDo[role]}`}
      </p>
      <AccountForm
        fresh
        fixedName={name}
        button={name ? t`Keep this passphrase` : t`Join`}
        send={async (given) => take(await api.POST("/api/invitations/accept", { body: { token, ...given } }))}
        onDone={() => void go("/")}
      />
    </Paper>
  );
}
