import { t } from "@lingui/core/macro";
import type { FlowPoint } from "../../api/client";

export type Strand = NonNullable<FlowPoint["strand"]>;

export interface StrandSign {
  key: Strand;
  /** One letter, as it is written on a card or typed. */
  code: string;
  label: string;
  says: string;
}

/** How strands look, from good to bad. */
export const STRANDS: readonly StrandSign[] = [
  { key: "straight", code: "S", label: t`straight`, says: t`hangs down, smooth` },
  { key: "curl", code: "C", label: t`first curl`, says: t`bends aside as it comes out` },
  { key: "corkscrew", code: "W", label: t`corkscrew`, says: t`winds round and round` },
  { key: "beaded", code: "B", label: t`beaded`, says: t`thick and thin; an unmelted core when it is snapped` },
  { key: "skips", code: "K", label: t`skips now and then`, says: t`the drive clicks once in a while` },
  { key: "skips_throughout", code: "X", label: t`skips throughout`, says: t`the drive clicks all the time` },
];

export function strandOf(key: Strand | null | undefined): StrandSign | undefined {
  return STRANDS.find((one) => one.key === key);
}
