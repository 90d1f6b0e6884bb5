import { askWorkshop } from "./connection";

/** What stands between a page and the server: the token that goes with changes, and what is asked when it refuses. */

interface Gate {
  token: string | null;
  /** The device is not signed in any more. */
  signedOut: () => void;
  /** Ask for the passphrase once more; false where nobody gives it. */
  confirm: () => Promise<boolean>;
  /** Fetch the token anew. */
  renew: () => Promise<void>;
}

const gate: Gate = { token: null, signedOut: () => undefined, confirm: () => Promise.resolve(false), renew: () => Promise.resolve() };

/** Say what is to be done at the gate; whoever shows the pages does. */
export function keepGate(parts: Partial<Gate>): void {
  Object.assign(gate, parts);
}

/** What has to go along with every change. */
export function tokenHeader(): Record<string, string> {
  return gate.token === null ? {} : { "X-CSRFToken": gate.token };
}

/** Why the server refused, by its problem's type; empty where it did not. */
async function refusal(answer: Response): Promise<string> {
  if (answer.status !== 401 && answer.status !== 403) return "";
  try {
    const problem = (await answer.clone().json()) as { type?: string };
    return problem.type?.replace("urn:meanbead:", "") ?? "";
  } catch {
    return "";
  }
}

/** Send a request; a stale token is renewed and a passphrase asked for, and the request sent once more. */
export async function throughGate(request: Request, send: (request: Request) => Promise<Response> = askWorkshop): Promise<Response> {
  const again = request.clone();
  const answer = await send(withToken(request));
  const why = await refusal(answer);
  if (why === "sign-in") gate.signedOut();
  if (why === "csrf") {
    await gate.renew();
    return send(withToken(again));
  }
  if (why === "confirm" && (await gate.confirm())) return send(withToken(again));
  return answer;
}

function withToken(request: Request): Request {
  if (request.method !== "GET") for (const [name, value] of Object.entries(tokenHeader())) request.headers.set(name, value);
  return request;
}
