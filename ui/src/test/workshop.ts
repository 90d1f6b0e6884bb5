/**
 * A workshop for component tests: it answers what the real application answered when its answers were recorded
 * (tests/api/test_recorded.py holds them to be current), and keeps columns as the real one does: versions, refusals.
 */
import { http, HttpResponse, type JsonBodyType } from "msw";
import { setupServer } from "msw/node";
import type { Problem, Recipe, RecipeColumn, RecipeEdit } from "../api/client";
import recorded from "./recorded.json";

type Answers = Record<string, JsonBodyType>;
const answers = recorded as unknown as Answers;
const HERE = "http://localhost";

/** A copy of a recorded answer, to be changed as a test likes. */
export function recordedAnswer(asked: keyof typeof recorded): unknown {
  return structuredClone(answers[asked]);
}

export class Workshop {
  columns: RecipeColumn[] = (recordedAnswer("GET /api/parts/1/recipes") as { recipes: RecipeColumn[] }).recipes;
  private readonly gone = new Map<number, RecipeColumn>();
  /** Every request so far, as "METHOD /path". */
  readonly asked: string[] = [];
  /** What was not recorded and nobody answers. */
  readonly unknown: string[] = [];
  /** Writes wait for this before they are answered. */
  held: Promise<void> = Promise.resolve();
  /** Whether nothing answers. */
  away = false;

  readonly server = setupServer(
    http.all(`${HERE}/*`, async ({ request }) => {
      const { pathname } = new URL(request.url);
      this.asked.push(`${request.method} ${pathname}`);
      if (this.away) return HttpResponse.error();
      const written = /^\/api\/recipes\/(\d+)$/.exec(pathname);
      if (written && request.method === "PATCH") {
        const body = (await request.json()) as RecipeEdit;
        await this.held;
        return this.patch(Number(written[1]), body);
      }
      if (request.method === "POST" && pathname === "/api/parts/1/recipes") {
        await this.held;
        return this.copy((await request.json()) as { copy_of?: number });
      }
      const gone = /^\/api\/recipes\/(\d+)\/(delete|restore)$/.exec(pathname);
      if (gone) return this.takeAway(Number(gone[1]), gone[2] === "restore");
      return this.read(request.method, pathname);
    }),
  );

  /** Change a column as another page would. */
  changeElsewhere(id: number, choices: Recipe): void {
    this.place(id, (column) => ({ ...column, version: column.version + 1, choices: { ...column.choices, ...choices } }));
  }

  column(id: number): RecipeColumn {
    const found = this.columns.find((one) => one.id === id);
    if (found === undefined) throw new Error(`no column ${id}`);
    return found;
  }

  private measures(): JsonBodyType {
    return (recordedAnswer("GET /api/recipes/1/findings") as { measures: JsonBodyType }).measures;
  }

  private read(method: string, path: string): Response {
    if (path === "/api/parts/1/recipes" && method === "GET") return HttpResponse.json({ recipes: this.columns } as JsonBodyType);
    const figures = /^\/api\/recipes\/(\d+)\/(figures|first-answer|estimate)$/.exec(path);
    if (figures) {
      // Columns that were made meanwhile answer as the first does.
      const estimate = answers[`POST /api/recipes/${figures[1] ?? ""}/estimate`] ?? answers["POST /api/recipes/1/estimate"] ?? null;
      return HttpResponse.json(figures[2] === "figures" ? { estimate, job: null } : estimate);
    }
    const about = /^\/api\/recipes\/(\d+)\/(findings|next|remedies)$/.exec(path);
    if (about?.[2] === "findings") return HttpResponse.json(answers[`GET ${path}`] ?? answers["GET /api/recipes/1/findings"] ?? null);
    if (about?.[2] === "next") return HttpResponse.json({ moves: { base: this.measures(), best: [], others: 0, tried: 0, of: 0, together: null }, done: true });
    if (about?.[2] === "remedies") return HttpResponse.json({ id: 1, kind: "remedies", state: "done", share: 1, doing: "", problem: "", revision: 1, remedies: { remedies: [], waste: [], complete: true } }, { status: 202 });
    const found = answers[`${method} ${path}`];
    if (found !== undefined) return HttpResponse.json(found);
    this.unknown.push(`${method} ${path}`);
    return HttpResponse.json({ title: "Not found", detail: `${path} was not recorded.`, status: 404 }, { status: 404 });
  }

  private patch(id: number, edit: RecipeEdit): Response {
    const column = this.column(id);
    if (edit.version !== column.version) {
      return problem({ status: 409, title: "Somebody else changed this in between.", detail: `It has version ${column.version} now.` });
    }
    const walls = edit.choices?.walls;
    if (typeof walls === "number" && walls > 100) return problem({ status: 422, title: "Wrong", detail: "Walls: at most 100.", errors: [{ field: "choices.walls", message: "at most 100" }] });
    const choices = Object.fromEntries(Object.entries({ ...column.choices, ...edit.choices }).filter(([, value]) => value !== null)) as Recipe;
    this.place(id, (now) => ({ ...now, ...(edit.name == null ? {} : { name: edit.name }), version: now.version + 1, choices }));
    return HttpResponse.json(this.column(id) as JsonBodyType);
  }

  private copy({ copy_of: of }: { copy_of?: number }): Response {
    const from = this.column(of ?? 1);
    const made = { ...from, id: 90 + this.columns.length, name: `${from.name} copy`, version: 1, position: from.position + 0.5 };
    this.columns = [...this.columns, made].sort((one, other) => one.position - other.position);
    return HttpResponse.json(made as JsonBodyType, { status: 201 });
  }

  private takeAway(id: number, back: boolean): Response {
    const found = this.columns.find((one) => one.id === id) ?? this.gone.get(id);
    if (found === undefined) return problem({ status: 404, title: "Not found", detail: `There is no recipe ${id}.` });
    this.gone.set(id, found);
    this.columns = this.columns.filter((one) => one.id !== id);
    if (back) this.columns = [...this.columns, found].sort((one, other) => one.position - other.position);
    return HttpResponse.json(found as JsonBodyType);
  }

  private place(id: number, change: (column: RecipeColumn) => RecipeColumn): void {
    this.columns = this.columns.map((one) => (one.id === id ? change(one) : one));
  }
}

function problem(content: Problem): Response {
  return HttpResponse.json(content as JsonBodyType, { status: content.status ?? 500, headers: { "Content-Type": "application/problem+json" } });
}
