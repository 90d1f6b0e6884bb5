/** A named square on the drawing, in pixels. */
export interface Named {
  x: number;
  y: number;
  name: string;
}

export interface NamePlace {
  x: number;
  /** The middle of the line of text. */
  y: number;
  anchor: "start" | "end";
  /** So far from its square that a stroke has to lead there. */
  away: boolean;
}

interface Box {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

const LINE_PX = 14;
const LETTER_PX = 6.6;
const GAP_PX = 9;
const HALF_SQUARE_PX = 6;

/** Where each name stands: beside its square if there is room, else as near as it can without lying on another name or square. */
export function placeNames(marks: readonly Named[], plot: Box): NamePlace[] {
  const taken: Box[] = marks.map(({ x, y }) => around(x - HALF_SQUARE_PX, x + HALF_SQUARE_PX, y, 2 * HALF_SQUARE_PX));
  return marks.map(({ x, y, name }) => {
    const width = LETTER_PX * name.length;
    const right = { anchor: "start", box: (at: number) => around(x + GAP_PX, x + GAP_PX + width, at, LINE_PX) } as const;
    const left = { anchor: "end", box: (at: number) => around(x - GAP_PX - width, x - GAP_PX, at, LINE_PX) } as const;
    const sides = x + GAP_PX + width <= plot.right ? [right, left] : [left, right];
    const tried = STEPS.flatMap((step) => sides.map((side) => ({ side, at: y + step, box: side.box(y + step) })));
    const free = tried.find(({ box }) => within(box, plot) && !taken.some((one) => overlap(one, box))) ?? { side: right, at: y, box: right.box(y) };
    taken.push(free.box);
    return { x: free.side === right ? x + GAP_PX : x - GAP_PX, y: free.at, anchor: free.side.anchor, away: Math.abs(free.at - y) > LINE_PX };
  });
}

const STEPS = Array.from({ length: 25 }, (_, at) => Math.ceil(at / 2) * LINE_PX * (at % 2 === 0 ? 1 : -1));

function around(left: number, right: number, middle: number, height: number): Box {
  return { left, right, top: middle - height / 2, bottom: middle + height / 2 };
}

function within(box: Box, plot: Box): boolean {
  return box.left >= plot.left && box.right <= plot.right && box.top >= plot.top && box.bottom <= plot.bottom;
}

function overlap(one: Box, other: Box): boolean {
  return one.left < other.right && other.left < one.right && one.top < other.bottom && other.top < one.bottom;
}
