import { afterEach, describe, expect, it, vi } from "vitest";
import { fetchMesh, fetchStrokes } from "./binary";

function answering(body: ArrayBuffer, status = 200): void {
  vi.stubGlobal("fetch", () => Promise.resolve(new Response(body, { status })));
}

afterEach(() => vi.unstubAllGlobals());

/** Whole arrays one after the other, each at a multiple of four bytes, as docs/formats.md says. */
function packed(parts: { head: string; numbers: [kind: "u8" | "u16" | "u32" | "f32", values: number[]][] }): ArrayBuffer {
  const sizes = { u8: 1, u16: 2, u32: 4, f32: 4 };
  const padded = (bytes: number) => bytes + ((4 - (bytes % 4)) % 4);
  const length = 4 + parts.numbers.reduce((sum, [kind, values]) => sum + padded(sizes[kind] * values.length), 0);
  const view = new DataView(new ArrayBuffer(length));
  Array.from(parts.head).forEach((letter, k) => view.setUint8(k, letter.charCodeAt(0)));
  let at = 4;
  for (const [kind, values] of parts.numbers) {
    values.forEach((value, k) => {
      const place = at + k * sizes[kind];
      if (kind === "u8") view.setUint8(place, value);
      else if (kind === "u16") view.setUint16(place, value, true);
      else if (kind === "u32") view.setUint32(place, value, true);
      else view.setFloat32(place, value, true);
    });
    at += padded(sizes[kind] * values.length);
  }
  return view.buffer;
}

describe("strokes", () => {
  const count = 3;
  const body = packed({
    head: "MBS2",
    numbers: [
      ["u32", [count]],
      ["f32", [1, 2]],
      ["f32", [3, 4, 5, 6, 7, 8]],
      ["f32", [0.5, 0.25, 2]],
      ["u16", [440, 450, 0]],
      ["u16", [200, 200, 0]],
      ["u16", [800, 1000, 3000]],
      ["u16", [700, 800, 0]],
      ["u32", [0, 0, 1]],
      ["u8", [0, 2, 7]],
      ["u8", [0, 1, 5]],
      ["u8", [0, 0, 1]],
      ["u8", [255, 128, 255]],
    ],
  });

  it("come apart as they were put together", async () => {
    answering(body);
    const piece = await fetchStrokes(1, 0, 2, true);
    expect([...piece.xy]).toEqual([1, 2, 3, 4, 3, 4, 5, 6, 5, 6, 7, 8]);
    expect([...piece.seconds]).toEqual([0.5, 0.25, 2]);
    expect([...piece.width_mm].map((one) => one.toFixed(3))).toEqual(["0.440", "0.450", "0.000"]);
    expect([...piece.speed_mm_s].map(Math.round)).toEqual([40, 50, 150]);
    expect([...piece.flow_mm3_s].map((one) => one.toFixed(1))).toEqual(["3.5", "4.0", "0.0"]);
    expect([[...piece.layer], [...piece.feature], [...piece.cause], [...piece.flags], [...piece.resting]]).toEqual([
      [0, 0, 1],
      [0, 2, 7],
      [0, 1, 5],
      [0, 0, 1],
      [255, 128, 255],
    ]);
  });

  it("of another version are refused", async () => {
    answering(packed({ head: "MBS9", numbers: [["u32", [0]]] }));
    await expect(fetchStrokes(1, 0, 1, false)).rejects.toThrow("another version");
  });

  it("that the server refuses are its problem", async () => {
    const problem = new TextEncoder().encode(JSON.stringify({ status: 422, detail: "There are 5 layers." }));
    answering(problem.buffer, 422);
    await expect(fetchStrokes(1, 0, 9, false)).rejects.toThrow("There are 5 layers.");
  });
});

it("a mesh comes apart, too", async () => {
  answering(packed({ head: "MBM1", numbers: [["u32", [3]], ["u32", [1]], ["f32", [0, 0, 0, 1, 0, 0, 0, 1, 0]], ["u32", [0, 1, 2]]] }));
  const mesh = await fetchMesh(1, "digest");
  expect([...mesh.corners]).toEqual([0, 0, 0, 1, 0, 0, 0, 1, 0]);
  expect([...mesh.triangles]).toEqual([0, 1, 2]);
});
