import { createStore, del, set, values } from "idb-keyval";

/** A photo that was taken and is not stored yet: kept in this device until it is. */
export interface WaitingPhoto {
  runId: number;
  /** Under which it is stored once, however often it is sent. */
  key: string;
  file: Blob;
}

export interface PhotoShelf {
  keep: (photo: WaitingPhoto) => Promise<void>;
  letGo: (key: string) => Promise<void>;
  all: () => Promise<WaitingPhoto[]>;
}

/** The browser's own database; photos are too large for what keeps texts. */
export function phoneShelf(): PhotoShelf {
  const place = createStore("meanbead-photos", "waiting");
  return {
    keep: (photo) => set(photo.key, photo, place),
    letGo: (key) => del(key, place),
    all: () => values<WaitingPhoto>(place),
  };
}

export type PhotoTold<Stored> = { stored: Stored } | "away" | { refused: string };

/**
 * Send what waits of a run, one after the other. What is stored or refused is let go of; where nothing answers, the rest waits.
 * `onTold` hears of each; returns what still waits.
 */
export async function sendPhotos<Stored>(
  shelf: PhotoShelf,
  runId: number,
  send: (photo: WaitingPhoto) => Promise<PhotoTold<Stored>>,
  onTold: (told: Exclude<PhotoTold<Stored>, "away">) => void,
): Promise<WaitingPhoto[]> {
  const waiting = (await shelf.all()).filter((photo) => photo.runId === runId);
  for (const [sent, photo] of waiting.entries()) {
    const told = await send(photo);
    if (told === "away") return waiting.slice(sent);
    await shelf.letGo(photo.key);
    onTold(told);
  }
  return [];
}
