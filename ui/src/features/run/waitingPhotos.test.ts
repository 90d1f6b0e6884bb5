import { describe, expect, it } from "vitest";
import { sendPhotos, type PhotoShelf, type PhotoTold, type WaitingPhoto } from "./waitingPhotos";

function shelfWith(...photos: WaitingPhoto[]): PhotoShelf {
  const held = new Map(photos.map((photo) => [photo.key, photo]));
  return {
    keep: (photo) => Promise.resolve(void held.set(photo.key, photo)),
    letGo: (key) => Promise.resolve(void held.delete(key)),
    all: () => Promise.resolve([...held.values()]),
  };
}

const taken = (key: string, runId = 7): WaitingPhoto => ({ runId, key, file: new Blob([key]) });

describe("photos that wait", () => {
  it("go one by one, those of other runs stay, and one that is refused holds up none", async () => {
    const shelf = shelfWith(taken("a"), taken("other", 8), taken("b"), taken("c"));
    const told: unknown[] = [];
    const left = await sendPhotos<string>(
      shelf, 7, (photo) => Promise.resolve(photo.key === "b" ? { refused: "too large" } : { stored: photo.key }), (one) => told.push(one),
    );
    expect(told).toEqual([{ stored: "a" }, { refused: "too large" }, { stored: "c" }]);
    expect(left).toEqual([]);
    expect((await shelf.all()).map((photo) => photo.key)).toEqual(["other"]);
  });

  it("stay where nothing answers, and are sent under the same key again", async () => {
    const shelf = shelfWith(taken("a"), taken("b"));
    const answers: PhotoTold<string>[] = [{ stored: "a" }, "away", { stored: "b" }];
    const keys: string[] = [];
    const send = (photo: WaitingPhoto) => {
      keys.push(photo.key);
      return Promise.resolve(answers.shift() ?? "away");
    };
    expect((await sendPhotos(shelf, 7, send, () => undefined)).map((photo) => photo.key)).toEqual(["b"]);
    expect(await sendPhotos(shelf, 7, send, () => undefined)).toEqual([]);
    expect(keys).toEqual(["a", "b", "b"]);
  });
});
