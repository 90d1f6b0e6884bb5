import type { CellValue, Field } from "./fields";

/** The cell in focus. */
export interface Focus {
  row: string;
  column: number;
}

/** What is being typed, before it is kept. */
export interface Draft {
  column: number;
  field: Field;
  value: CellValue | null;
}

/** What every cell of the sheet is given. */
export interface CellShared {
  tabIndex: number;
  marked: boolean;
  onFocus: () => void;
  onMove: (rows: number, columns: number, extend?: boolean) => void;
  register: (element: HTMLElement | null) => void;
}

/** What cells of a marked range look like. */
export const MARKED = "bg-molten-wash";
