/** Rows and columns that an arrow key moves by. */
export const ARROWS: Record<string, readonly [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};

/** What cells of a marked range look like. */
export const MARKED = "bg-molten-wash";
