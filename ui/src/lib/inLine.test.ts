import { describe, expect, it } from "vitest";
import { inLine, settled } from "./inLine";

/** Work that ends when it is told to. */
function held(): { work: () => Promise<string>; begun: () => boolean; end: (how?: Error) => void } {
  let end: (how?: Error) => void = () => undefined;
  let begun = false;
  const done = new Promise<string>((good, bad) => {
    end = (how) => (how === undefined ? good("done") : bad(how));
  });
  return {
    work: () => {
      begun = true;
      return done;
    },
    begun: () => begun,
    end: (how) => end(how),
  };
}

const aMoment = () => new Promise((done) => setTimeout(done, 0));

describe("work on one thing", () => {
  it("begins when the one before has ended, whatever came of it", async () => {
    const [first, second] = [held(), held()];
    const one = inLine("column 1", first.work);
    const two = inLine("column 1", second.work);
    await aMoment();
    expect([first.begun(), second.begun()]).toEqual([true, false]);
    first.end(new Error("refused"));
    await expect(one).rejects.toThrow("refused");
    await aMoment();
    expect(second.begun()).toBe(true);
    second.end();
    expect(await two).toBe("done");
  });

  it("does not wait for work on another", async () => {
    const [first, second] = [held(), held()];
    const one = inLine("column 2", first.work);
    const two = inLine("column 3", second.work);
    await aMoment();
    expect(second.begun()).toBe(true);
    second.end();
    await two;
    first.end();
    await one;
  });
});

describe("settled", () => {
  it("waits for edits under way, for those that come meanwhile, and for none that failed", async () => {
    const [first, second] = [held(), held()];
    const one = inLine("columns 7", first.work);
    let quiet = false;
    const all = settled().then(() => {
      quiet = true;
    });
    const two = inLine("part 7", second.work);
    first.end(new Error("refused"));
    await expect(one).rejects.toThrow();
    await aMoment();
    expect(quiet).toBe(false);
    second.end();
    await two;
    await all;
    expect(quiet).toBe(true);
  });

  it("does not wait for what is no edit", async () => {
    const reading = held();
    const one = inLine("figures of 9", reading.work);
    await settled();
    reading.end();
    await one;
  });
});
