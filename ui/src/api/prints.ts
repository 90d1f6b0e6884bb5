import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Print, type RecipeColumn, type Sending } from "./client";
import { dayKeys } from "./dayKeys";
import { printKeys } from "./printKeys";

/** Prints under way are read anew this often, beside what is told of changes. */
const FOLLOWED_MS = 4000;

export const ACTIVE: ReadonlySet<string> = new Set(["starting", "printing", "paused"]);
export const UNDER_WAY: ReadonlySet<string> = new Set([...ACTIVE, "sending", "sent"]);

export function usePrints() {
  return useQuery({
    queryKey: printKeys.list,
    queryFn: async () => take(await api.GET("/api/prints")).prints,
    refetchOnMount: "always",
    refetchInterval: (query) => (query.state.data?.some((one) => UNDER_WAY.has(one.state) && one.state !== "sent") ? FOLLOWED_MS : false),
  });
}

/** What a machine is at, or was at last with this column. */
export function printOf(prints: Print[] | undefined, machine_id: number): Print | undefined {
  return prints?.find((one) => one.machine_id === machine_id && UNDER_WAY.has(one.state)) ?? prints?.find((one) => one.machine_id === machine_id);
}

export function useSending(machine_id: number) {
  return useQuery({
    queryKey: printKeys.sending(machine_id),
    queryFn: async () => take(await api.GET("/api/machines/{machine_id}/sending", { params: { path: { machine_id } } })) as Sending,
    refetchOnMount: "always",
  });
}

/** The file of a column as it stands now; null where none was written. */
export function useColumnFile(column: RecipeColumn) {
  return useQuery({
    queryKey: printKeys.file(column.id, column.version, column.inputs),
    queryFn: async () => take(await api.GET("/api/recipes/{recipe_id}/file", { params: { path: { recipe_id: column.id } } })).file,
    refetchOnMount: "always",
    retry: false,
  });
}

type Deed = "pause" | "resume" | "leave";

/** What is done to a print: each writes the print that comes of it where pages look for it. */
export function usePrintDeeds(onError: (error: Error) => void) {
  const queries = useQueryClient();
  const onSuccess = (made: Print) => {
    queries.setQueryData<Print[]>(printKeys.list, (known) => (known ? [made, ...known.filter((one) => one.id !== made.id)] : known));
    void queries.invalidateQueries({ queryKey: printKeys.all });
    void queries.invalidateQueries({ queryKey: dayKeys.all });
  };
  const send = useMutation({
    mutationFn: async (body: { key: string; file_id: number; queue_id?: number; plate?: number }) => take(await api.POST("/api/prints", { body })),
    onSuccess,
    onError,
  });
  const start = useMutation({
    mutationFn: async (print_id: number) => take(await api.POST("/api/prints/{print_id}/start", { params: { path: { print_id } }, body: { nozzle: true, spool: true, plate: true } })),
    onSuccess,
    onError,
  });
  const tell = useMutation({
    mutationFn: async ({ print_id, deed }: { print_id: number; deed: Deed }) => {
      const params = { params: { path: { print_id } } };
      if (deed === "pause") return take(await api.POST("/api/prints/{print_id}/pause", params));
      if (deed === "resume") return take(await api.POST("/api/prints/{print_id}/resume", params));
      return take(await api.POST("/api/prints/{print_id}/leave", params));
    },
    onSuccess,
    onError,
  });
  return { send, start, tell };
}

/** The emergency stop: sent at once, asked of nobody. */
export function useStop(onSaid: (says: string, failed: boolean) => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (machine_id: number) => take(await api.POST("/api/machines/{machine_id}/stop", { params: { path: { machine_id } } })),
    onSuccess: (told) => {
      onSaid(told.says, false);
      void queries.invalidateQueries({ queryKey: printKeys.all });
      void queries.invalidateQueries({ queryKey: dayKeys.all });
    },
    onError: (error) => onSaid(error.message, true),
  });
}
