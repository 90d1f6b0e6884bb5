/** Meshes and strokes in the server's compact binary form; docs/formats.md describes both. */

import { t } from "@lingui/core/macro";
import { askWorkshop } from "../lib/connection";
import { asProblem, ProblemError } from "./client";

export interface Mesh {
  corners: Float32Array;
  triangles: Uint32Array;
}

async function fetchBytes(address: string, signal?: AbortSignal): Promise<ArrayBuffer> {
  const answer = await askWorkshop(address, { signal });
  if (!answer.ok) throw new ProblemError(asProblem(await answer.json().catch(() => null), answer.status));
  return answer.arrayBuffer();
}

function expectMagic(buffer: ArrayBuffer, magic: string): void {
  const found = String.fromCharCode(...new Uint8Array(buffer, 0, 4));
  if (found !== magic) throw new Error(t`The picture's data is of another version. Reload the page.`);
}

export async function fetchMesh(partId: number, digest: string, signal?: AbortSignal): Promise<Mesh> {
  const buffer = await fetchBytes(`/api/parts/${partId}/mesh?${digest.slice(0, 12)}`, signal);
  expectMagic(buffer, "MBM1");
  const head = new DataView(buffer);
  const [corners, triangles] = [head.getUint32(4, true), head.getUint32(8, true)];
  return {
    corners: new Float32Array(buffer, 12, 3 * corners),
    triangles: new Uint32Array(buffer, 12 + 12 * corners, 3 * triangles),
  };
}

export async function fetchThickness(partId: number, digest: string, signal?: AbortSignal): Promise<Float32Array> {
  return new Float32Array(await fetchBytes(`/api/parts/${partId}/thickness?${digest.slice(0, 12)}`, signal));
}

/** 1 for each triangle that was guessed to close the surface. */
export async function fetchGuessed(partId: number, digest: string, signal?: AbortSignal): Promise<Float32Array> {
  return new Float32Array(await fetchBytes(`/api/parts/${partId}/guessed?${digest.slice(0, 12)}`, signal));
}

/** Strokes of some layers: arrays of one length; `xy` holds starts and ends, four numbers a stroke. */
export interface StrokePiece {
  count: number;
  xy: Float32Array;
  seconds: Float32Array;
  width_mm: Float32Array;
  height_mm: Float32Array;
  speed_mm_s: Float32Array;
  flow_mm3_s: Float32Array;
  layer: Uint32Array;
  feature: Uint8Array;
  cause: Uint8Array;
  flags: Uint8Array;
  resting: Uint8Array;
}

export async function fetchStrokes(
  recipeId: number,
  first: number,
  end: number,
  resting: boolean,
  signal?: AbortSignal,
): Promise<StrokePiece> {
  const buffer = await fetchBytes(`/api/recipes/${recipeId}/strokes/${first}/${end}${resting ? "?resting=1" : ""}`, signal);
  expectMagic(buffer, "MBS2");
  const head = new DataView(buffer);
  const count = head.getUint32(4, true);
  let at = 16;
  const take = (bytes: number) => {
    const from = at;
    at += bytes + ((4 - (bytes % 4)) % 4);
    return from;
  };
  const scaled = (unit: number) => Float32Array.from(new Uint16Array(buffer, take(2 * count), count), (value) => value * unit);
  const ends = new Float32Array(buffer, take(8 * count), 2 * count);
  const xy = new Float32Array(4 * count);
  let [x, y] = [head.getFloat32(8, true), head.getFloat32(12, true)];
  for (let k = 0; k < count; k++) {
    xy[4 * k] = x;
    xy[4 * k + 1] = y;
    x = ends[2 * k] ?? 0;
    y = ends[2 * k + 1] ?? 0;
    xy[4 * k + 2] = x;
    xy[4 * k + 3] = y;
  }
  const seconds = new Float32Array(buffer, take(4 * count), count);
  const [width_mm, height_mm] = [scaled(0.001), scaled(0.001)];
  const [speed_mm_s, flow_mm3_s] = [scaled(0.05), scaled(0.005)];
  const layer = new Uint32Array(buffer, take(4 * count), count);
  const bytes = () => new Uint8Array(buffer, take(count), count);
  return {
    count,
    xy,
    seconds,
    width_mm,
    height_mm,
    speed_mm_s,
    flow_mm3_s,
    layer,
    feature: bytes(),
    cause: bytes(),
    flags: bytes(),
    resting: bytes(),
  };
}
