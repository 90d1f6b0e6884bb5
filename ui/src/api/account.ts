import { queryOptions, useQuery, type QueryClient } from "@tanstack/react-query";
import { keepGate } from "../lib/gate";
import { wipe } from "../lib/wipe";
import { api, take, type Me } from "./client";

export const accountKeys = {
  me: ["me"] as const,
  people: ["people"] as const,
  devices: ["devices"] as const,
  network: ["network"] as const,
  audit: ["audit"] as const,
};

export const meQuery = queryOptions({
  queryKey: accountKeys.me,
  queryFn: async () => known(take(await api.GET("/api/me"))),
  staleTime: 30_000,
  retry: 1,
});

/** Who sits here; the token that goes with changes is kept at the gate. */
export function useMe() {
  return useQuery(meQuery);
}

/** Whether whoever sits here may change things, and not only read. */
export function useMayChange(): boolean {
  const role = useMe().data?.role;
  return role !== "guest";
}

function known(me: Me): Me {
  keepGate({ token: me.csrf ?? null });
  return me;
}

/** Take in an answer that says who sits here now. */
export function tookMe(queries: QueryClient, me: Me): void {
  queries.setQueryData(accountKeys.me, known(me));
}

/** Sign this device out, and forget all that it has seen. */
export function useSignOut(): () => Promise<void> {
  return async () => {
    take(await api.POST("/api/sign-out"));
    await wipe();
    // A page that begins anew keeps nothing in memory either; none of the old one shows a door that it is about to leave.
    window.location.assign("/");
  };
}

export function useNetwork() {
  return useQuery({ queryKey: accountKeys.network, queryFn: async () => take(await api.GET("/api/network")) });
}
