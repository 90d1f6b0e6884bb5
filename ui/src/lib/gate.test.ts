import { afterEach, describe, expect, it, vi } from "vitest";
import { keepGate, throughGate, tokenHeader } from "./gate";

const refused = (status: number, code: string) => new Response(JSON.stringify({ type: `urn:meanbead:${code}` }), { status });
const post = () => new Request("http://here/api/parts", { method: "POST", body: "{}" });

afterEach(() => keepGate({ token: null, signedOut: () => undefined, confirm: () => Promise.resolve(false), renew: () => Promise.resolve() }));

describe("the gate", () => {
  it("sends the token with changes and not with reading", async () => {
    keepGate({ token: "t1" });
    expect(tokenHeader()).toEqual({ "X-CSRFToken": "t1" });
    const seen: (string | null)[] = [];
    const send = (request: Request) => {
      seen.push(request.headers.get("X-CSRFToken"));
      return Promise.resolve(new Response("{}"));
    };
    await throughGate(post(), send);
    await throughGate(new Request("http://here/api/parts"), send);
    expect(seen).toEqual(["t1", null]);
  });

  it("renews a stale token once, and sends the same again", async () => {
    keepGate({ token: "old", renew: () => Promise.resolve().then(() => keepGate({ token: "new" })) });
    const send = vi.fn(async (request: Request) =>
      request.headers.get("X-CSRFToken") === "new" ? new Response(await request.text()) : refused(403, "csrf"),
    );
    expect(await (await throughGate(post(), send)).text()).toBe("{}");
    expect(send).toHaveBeenCalledTimes(2);
  });

  it("asks for the passphrase, and gives the refusal back where nobody gives it", async () => {
    const send = vi.fn(() => Promise.resolve(refused(403, "confirm")));
    expect((await throughGate(post(), send)).status).toBe(403);
    expect(send).toHaveBeenCalledTimes(1);
    keepGate({ confirm: () => Promise.resolve(true) });
    await throughGate(post(), send);
    expect(send).toHaveBeenCalledTimes(3);
  });

  it("tells when the device is signed out, and not for other refusals", async () => {
    const signedOut = vi.fn();
    keepGate({ signedOut });
    await throughGate(post(), () => Promise.resolve(refused(403, "not-allowed")));
    await throughGate(post(), () => Promise.resolve(new Response("no json", { status: 403 })));
    expect(signedOut).not.toHaveBeenCalled();
    await throughGate(post(), () => Promise.resolve(refused(401, "sign-in")));
    expect(signedOut).toHaveBeenCalledTimes(1);
  });
});
