import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { api, take } from "../api/client";
import { AccountForm } from "../features/people/AccountForm";
import { Paper } from "../features/people/Paper";
import { forgetSeen } from "../lib/wipe";

/** Who is it? Shown in place of whatever page was asked for, which then opens. */
export function SignInPage() {
  useEffect(() => {
    document.title = t`Sign in · Mean Bead`;
    // A phone that was signed out from elsewhere keeps nothing of what it has seen.
    void forgetSeen();
  }, []);
  return (
    <Paper title={t`Sign in`}>
      <AccountForm button={t`Sign in`} send={async (body) => take(await api.POST("/api/sign-in", { body }))} />
      <p className="mt-6 text-sm text-quiet">
        <Trans>No account? Ask an owner of this workshop for an invitation. Forgotten it? An owner gives you a link for a new one.</Trans>
      </p>
      <p className="mt-2 text-sm">
        <a className="link" href="/trust">
          <Trans>Your phone warns about this address?</Trans>
        </a>
      </p>
    </Paper>
  );
}
