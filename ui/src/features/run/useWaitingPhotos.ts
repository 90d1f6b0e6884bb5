import { t } from "@lingui/core/macro";
import { useCallback, useEffect, useRef, useState } from "react";
import { onceBack } from "../../lib/connection";
import { throughGate } from "../../lib/gate";
import type { RunTag } from "../../api/client";
import { phoneShelf, sendPhotos, type PhotoTold, type WaitingPhoto } from "./waitingPhotos";

type Photo = RunTag["photos"][number];

const AGAIN_MS = 3000;
const shelf = phoneShelf();

/** Photos of a run: kept in this device as they are taken, and sent as soon as the workshop answers. */
export function useWaitingPhotos(runId: number, onStored: (photo: Photo) => void, onProblem: (problem: string) => void) {
  const [waiting, setWaiting] = useState<WaitingPhoto[]>([]);
  const busy = useRef(false);
  const flush = useCallback(async () => {
    if (busy.current) return;
    busy.current = true;
    try {
      const left = await sendPhotos<Photo>(shelf, runId, send, (told) => ("stored" in told ? onStored(told.stored) : onProblem(told.refused)));
      setWaiting((now) => (now.length === 0 && left.length === 0 ? now : left));
    } catch {
      // A browser that keeps nothing, as in a private window: what is taken there goes straight off, or not at all.
    } finally {
      busy.current = false;
    }
  }, [onProblem, onStored, runId]);
  useEffect(() => {
    const again = () => void flush();
    const timer = setInterval(again, AGAIN_MS);
    const stop = onceBack(again);
    again();
    return () => {
      clearInterval(timer);
      stop();
    };
  }, [flush]);
  const take = useCallback(
    async (file: File) => {
      const photo: WaitingPhoto = { runId, key: crypto.randomUUID(), file };
      try {
        await shelf.keep(photo);
      } catch {
        const told = await send(photo);
        if (told === "away") onProblem(t`This browser keeps no photos: take it again when the workshop answers.`);
        else if ("stored" in told) onStored(told.stored);
        else onProblem(told.refused);
        return;
      }
      setWaiting((now) => [...now, photo]);
      await flush();
    },
    [flush, onProblem, onStored, runId],
  );
  return { waiting, take };
}

async function send(photo: WaitingPhoto): Promise<PhotoTold<Photo>> {
  const body = new FormData();
  body.append("file", photo.file);
  body.append("key", photo.key);
  try {
    const answer = await throughGate(new Request(`/api/runs/${photo.runId}/photos`, { method: "POST", body }));
    if (answer.ok) return { stored: (await answer.json()) as Photo };
    if (answer.status >= 500 || answer.status === 401 || answer.status === 429) return "away";
    const problem = (await answer.json()) as { detail?: string };
    return { refused: problem.detail ?? t`The photo was not stored.` };
  } catch {
    return "away";
  }
}
