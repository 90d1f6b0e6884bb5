import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { accountKeys, meQuery, useMe } from "../../api/account";
import type { Me } from "../../api/client";
import { keepGate } from "../../lib/gate";
import { keepOffline } from "../../lib/offline";

/** Who sits here, watched: a device that is signed out elsewhere comes back to the door. */
export function useGate(): Me | undefined {
  const queries = useQueryClient();
  useEffect(() => {
    const again = () => queries.invalidateQueries({ queryKey: accountKeys.me });
    keepGate({
      signedOut: () => void again(),
      renew: async () => {
        await queries.query({ ...meQuery, staleTime: 0 });
      },
    });
  }, [queries]);
  const me = useMe().data;
  const served = me?.served === true && me.role != null;
  useEffect(() => {
    if (served) void keepOffline();
  }, [served]);
  return me;
}
