import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { accountKeys } from "../api/account";
import { staleAfter, type Change } from "../api/changes";
import { api, take, type RecipeColumn } from "../api/client";
import { keys, newest, shelfChanged } from "../api/queries";
import { checkConnection, onceBack } from "../lib/connection";
import { settled } from "../lib/inLine";

/** Changes that come within so many milliseconds are read together. */
const TOGETHER_MS = 120;

/** Where listening was refused, it is tried again after so long. */
const AGAIN_MS = 30_000;

/** The server says every quarter of a minute that it is there; twice without a word is a reason to ask. */
const SILENT_MS = 35_000;

/** Follow what others change, on every page that is in view. A hidden page listens to nothing, and reads anew when it comes back. */
export function useChanges(listens: boolean): void {
  const queries = useQueryClient();
  useEffect(() => {
    if (!listens) return;
    let stream: EventSource | null = null;
    let waiting: Change[] = [];
    let timer: ReturnType<typeof setTimeout> | undefined;
    let again: ReturnType<typeof setTimeout> | undefined;
    let silent: ReturnType<typeof setTimeout> | undefined;
    let opened = false;
    let ended = false;

    const sheet = async (partId: number) => {
      if (queries.getQueryState(keys.columns(partId)) === undefined) return;
      const { recipes } = take(await api.GET("/api/parts/{part_id}/recipes", { params: { path: { part_id: partId } } }));
      const known = queries.getQueryData<RecipeColumn[]>(keys.columns(partId));
      const same = known !== undefined && known.map((one) => one.id).join() === recipes.map((one) => one.id).join();
      // A column that comes or goes would move the cell that one types in: it waits until that is done.
      if (!same) await typed();
      queries.setQueryData<RecipeColumn[]>(keys.columns(partId), (now) => newest(now, recipes));
    };
    const read = async () => {
      timer = undefined;
      const changes = waiting;
      waiting = [];
      // One's own writes that are under way are known first.
      await settled();
      const stale = staleAfter(changes, queries);
      if (stale.everything) await queries.invalidateQueries();
      else {
        await Promise.all([
          ...[...stale.sheets].map((partId) => sheet(partId).catch(() => undefined)),
          ...stale.queries.map((queryKey) => queries.invalidateQueries({ queryKey })),
          stale.shelf ? shelfChanged(queries) : undefined,
        ]);
      }
    };
    const heard = () => {
      clearTimeout(silent);
      silent = setTimeout(() => {
        checkConnection();
        heard();
      }, SILENT_MS);
    };
    const open = () => {
      if (stream !== null || ended) return;
      heard();
      stream = new EventSource("/api/changes");
      stream.onopen = () => {
        // What was changed while nobody listened is read anew.
        if (opened) void queries.invalidateQueries();
        opened = true;
      };
      stream.addEventListener("here", heard);
      stream.onmessage = (event: MessageEvent<string>) => {
        heard();
        waiting.push(JSON.parse(event.data) as Change);
        timer ??= setTimeout(() => void read(), TOGETHER_MS);
      };
      stream.addEventListener("ended", () => {
        ended = true;
        close();
        void queries.invalidateQueries({ queryKey: accountKeys.me });
      });
      stream.onerror = () => {
        checkConnection();
        if (stream?.readyState !== EventSource.CLOSED) return; // the browser tries again by itself
        // Refused: the device was signed out, or too many listen.
        close();
        again = setTimeout(look, AGAIN_MS);
        void queries.invalidateQueries({ queryKey: accountKeys.me });
      };
    };
    const close = () => {
      clearTimeout(silent);
      stream?.close();
      stream = null;
    };
    const look = () => (document.visibilityState === "hidden" ? close() : open());
    const wake = () => {
      look();
      // The workshop may have stopped while the phone was in a pocket.
      if (document.visibilityState === "visible") checkConnection();
    };
    document.addEventListener("visibilitychange", wake);
    const stop = onceBack(() => {
      clearTimeout(again);
      look();
      void queries.invalidateQueries();
    });
    look();
    return () => {
      document.removeEventListener("visibilitychange", wake);
      stop();
      clearTimeout(timer);
      clearTimeout(again);
      close();
    };
  }, [listens, queries]);
}

/** Until nobody types in a field. */
function typed(): Promise<void> {
  const typing = () => document.activeElement instanceof HTMLInputElement || document.activeElement instanceof HTMLSelectElement;
  if (!typing()) return Promise.resolve();
  return new Promise((resolve) => {
    const look = () =>
      setTimeout(() => {
        if (typing()) return;
        document.removeEventListener("focusout", look);
        resolve();
      }, 0);
    document.addEventListener("focusout", look);
  });
}
