import { Trans } from "@lingui/react/macro";
import { useSyncExternalStore } from "react";
import { useMe } from "../api/account";

/** Says that nothing answers, so that nobody takes what was last seen for what is. */
export function Connection() {
  const online = useSyncExternalStore(
    (told) => {
      window.addEventListener("online", told);
      window.addEventListener("offline", told);
      return () => {
        window.removeEventListener("online", told);
        window.removeEventListener("offline", told);
      };
    },
    () => navigator.onLine,
  );
  // Alone on one machine there is no connection to lose, whatever the browser says of its network.
  const served = useMe().data?.served ?? false;
  if (online || !served) return null;
  return (
    <p role="status" className="border-b border-rule bg-molten-wash px-4 py-1.5 text-center text-sm">
      <Trans>No connection. You see what was last seen; what you type is kept, and sent when the network is back.</Trans>
    </p>
  );
}
