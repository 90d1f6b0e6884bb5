import { Trans } from "@lingui/react/macro";
import { useSyncExternalStore } from "react";
import { connection, watchConnection } from "../lib/connection";
import { hourOf } from "../lib/format";

/** Says that nothing answers, and of when is what one sees, so that nobody takes what was last seen for what is. */
export function Connection() {
  const { away, since, kept } = useSyncExternalStore(watchConnection, connection);
  if (!away && kept === null) return null;
  const seen = kept ?? since;
  const at = seen === null ? null : hourOf(new Date(seen));
  return (
    <p role="status" className="border-b border-rule bg-molten-wash px-4 py-1.5 text-center text-sm print:hidden">
      {!away ? (
        <Trans>The workshop answers slowly. You see what was stored here at {at}; newer figures follow.</Trans>
      ) : at === null ? (
        <Trans>No connection. What you type is kept, and sent when the workshop answers again.</Trans>
      ) : (
        <Trans>No connection. You see what was known at {at}. What you type is kept, and sent when the workshop answers again.</Trans>
      )}
    </p>
  );
}
