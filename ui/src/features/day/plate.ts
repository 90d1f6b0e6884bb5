import type { PlateItem } from "../../api/client";

export type Ring = readonly (readonly number[])[];

/** An outline as an SVG path, turned and moved; y goes up on the bed and down on the screen. */
export function pathOf(rings: readonly Ring[], item: Pick<PlateItem, "x_mm" | "y_mm" | "turn_deg">): string {
  const angle = (item.turn_deg * Math.PI) / 180;
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  return rings
    .map((ring) => {
      const points = ring.map(([x = 0, y = 0]) => `${(x * cos - y * sin + item.x_mm).toFixed(2)} ${(-(x * sin + y * cos + item.y_mm)).toFixed(2)}`);
      return `M${points.join("L")}Z`;
    })
    .join("");
}

/** What a key does to a part on a plate; null where it does nothing. With Shift it goes further. */
export function moved(item: PlateItem, key: string, far: boolean): PlateItem | null {
  const step = far ? 10 : 1;
  const by: Record<string, [number, number]> = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, step], ArrowDown: [0, -step] };
  const way = by[key];
  if (way) return { ...item, x_mm: round(item.x_mm + way[0]), y_mm: round(item.y_mm + way[1]) };
  if (key === "r" || key === "R") return { ...item, turn_deg: (item.turn_deg + (far ? 345 : 15)) % 360 };
  return null;
}

export function round(value: number): number {
  return Math.round(value * 100) / 100;
}
