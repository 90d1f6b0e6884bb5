import { describe, expect, it } from "vitest";
import { keepWaiting, readWaiting, sendWaiting, type Waiting } from "./waiting";

function shelf(): Storage {
  const held = new Map<string, string>();
  return {
    getItem: (key: string) => held.get(key) ?? null,
    setItem: (key: string, value: string) => void held.set(key, value),
    removeItem: (key: string) => void held.delete(key),
  } as unknown as Storage;
}

const typed = (version: number, note: string, draft = false): Waiting => ({ runId: 7, edit: { version, entry: { state: "kept", note } as never }, draft });

describe("an entry that waits", () => {
  it("stays while nothing answers, and goes once it is stored", async () => {
    const place = shelf();
    keepWaiting(place, typed(3, "good"));
    expect(await sendWaiting(place, 7, () => Promise.resolve("away"))).toBe("away");
    expect(readWaiting(place, 7)?.edit.entry?.note).toBe("good");
    await sendWaiting(place, 7, (edit) => Promise.resolve({ stored: edit.version + 1 }));
    expect(readWaiting(place, 7)).toBeNull();
    expect(await sendWaiting(place, 7, () => Promise.reject(new Error("nothing is to be sent")))).toBeNull();
  });

  it("keeps what was typed while the last was under way, against the new version", async () => {
    const place = shelf();
    keepWaiting(place, typed(3, "first"));
    await sendWaiting(place, 7, (edit) => {
      keepWaiting(place, typed(3, "second"));
      return Promise.resolve({ stored: edit.version + 1 });
    });
    expect(readWaiting(place, 7)?.edit).toMatchObject({ version: 4, entry: { note: "second" } });
  });

  it("is not sent while it is only typed, and never lost when it is refused or somebody else was first", async () => {
    const place = shelf();
    keepWaiting(place, typed(3, "half", true));
    expect(await sendWaiting(place, 7, () => Promise.reject(new Error("a draft was sent")))).toBeNull();
    for (const told of [{ refused: "no" }, { theirs: 9, says: "x" }]) {
      keepWaiting(place, typed(3, "mine"));
      expect(await sendWaiting(place, 7, () => Promise.resolve(told))).toEqual(told);
      expect(readWaiting(place, 7)?.edit.entry?.note).toBe("mine");
    }
    place.setItem("meanbead.run.7", "{broken");
    expect(readWaiting(place, 7)).toBeNull();
  });
});
