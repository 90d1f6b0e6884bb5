import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "./client";

/** How it stands with the sample workshop. */
export function useSamples() {
  return useQuery({ queryKey: ["samples"], queryFn: async () => take(await api.GET("/api/samples")), refetchOnMount: "always" });
}

/** Take the sample workshop away whole, or bring it back; every list is another after it. */
export function useSamplesChange() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (way: "remove" | "restore") =>
      take(way === "remove" ? await api.POST("/api/samples/remove") : await api.POST("/api/samples/restore")),
    onSuccess: () => queries.invalidateQueries(),
  });
}
