/** What each fault looks like, in lines: ours, on a square of 40. `soft` is the piece, `hard` the fault, `filled` blobs of it. */
export interface FaultDrawing {
  soft: string;
  hard: string;
  filled?: string;
}

const WALL = "M6 8H34M6 14H34M6 20H34M6 26H34M6 32H34";
const BOX = "M7 7H33V33H7Z";
const TOP = "M5 14L20 6L35 14L20 22ZM5 14V26L20 34L35 26V14";

export const FAULT_DRAWINGS: Record<string, FaultDrawing> = {
  open_cracks: { soft: WALL, hard: "M4 19Q12 15 20 18T36 16M4 21Q12 25 20 21T36 22" },
  gaps: { soft: "M6 8H34M6 14H12M20 14H34M6 20H24M6 26H9M17 26H34M6 32H34", hard: "M12 14H20M24 20H34M9 26H17", filled: "" },
  sagging_top: { soft: "M6 34V12M34 34V12M15 34V16M25 34V16M4 34H36", hard: "M6 12Q10.5 19 15 13Q20 20 25 13Q29.5 19 34 12" },
  pattern_through: { soft: TOP, hard: "M12 10.5L27 18.5M9 16.5L24 8.5M16 20L31 12M17 8L30 16" },
  torn_top: { soft: TOP, hard: "M11 14L15 12L17 15L21 11L23 15L28 13M15 17L19 16L20 18.5L24 17" },
  ripple: { soft: "M8 6V34M8 6H34M8 34H34", hard: "M12 8Q15 20 12 32M17 8Q19.5 20 17 32M22 8Q24 20 22 32M27 8Q28 20 27 32" },
  curled_tips: { soft: "M12 34V20H20V34M8 34H26", hard: "M12 20Q22 19 28 16Q34 13 33 6M14 16Q24 15 30 11" },
  strings: { soft: "M6 34V8H12V34M28 34V8H34V34", hard: "M12 12Q20 17 28 13M12 18Q20 22 28 17M12 25Q20 27 28 24" },
  blobs: { soft: BOX, hard: "M33 12q4 1 3 4t-3 2M7 22q-4 1 -3 4t3 2", filled: "M14 13a2 2 0 1 0 4 0a2 2 0 1 0 -4 0M23 23a2.5 2.5 0 1 0 5 0a2.5 2.5 0 1 0 -5 0" },
  blobs_under: { soft: "M6 8H34V20H6Z", hard: "M10 20q-1 8 3 8t3 -8M20 20q-1 12 3 12t3 -12M29 20q-1 6 2 6t2 -6" },
  sagging_bridge: { soft: "M6 34V10H11V34M29 34V10H34V34", hard: "M11 11Q20 22 29 11M11 13Q20 29 29 13" },
  steps: { soft: "M5 34H35", hard: "M5 34V29H10V24H15V19H20V14H26V10H35" },
  lost_detail: { soft: "M6 34H34V26H6ZM12 26V12M18 26V12", hard: "M24 26V23M24 19V16M24 12V9M30 26V24M30 20V17" },
  fuzzy_text: { soft: "M5 6H35V34H5Z", hard: "M12 27Q11 20 16 12Q20 20 21 27M13 22Q17 20 20 22M25 26Q30 27 29 22T25 18Q31 18 29 13T24 13Q25 20 25 26" },
  seam: { soft: "M8 8Q20 4 32 8V32Q20 36 8 32Z", hard: "M22 8V9M22 13V14M22 18V19M22 23V24M22 28V29", filled: "M20.5 8a2 2 0 1 0 4 0a2 2 0 1 0 -4 0M20.5 15a2 2 0 1 0 4 0a2 2 0 1 0 -4 0M20.5 22a2 2 0 1 0 4 0a2 2 0 1 0 -4 0M20.5 29a2 2 0 1 0 4 0a2 2 0 1 0 -4 0" },
  lifted_corners: { soft: "M3 35H37M8 12H32V30", hard: "M8 12V26Q20 36 32 28M8 26Q5 24 4 20M8 26L3 23" },
  spread_foot: { soft: "M10 6H30V28M10 6V28M3 35H37", hard: "M10 28Q4 29 4 34H36Q36 29 30 28" },
  weak_layers: { soft: "M8 6H32V17L8 17Z", hard: "M8 24L32 20V34H8ZM4 20L8 18M36 16L33 17" },
  wet_bubbles: { soft: BOX, hard: "M12 14a3 3 0 1 0 6 0a3 3 0 1 0 -6 0M22 24a4 4 0 1 0 8 0a4 4 0 1 0 -8 0M24 12a2 2 0 1 0 4 0a2 2 0 1 0 -4 0M12 26a2 2 0 1 0 4 0a2 2 0 1 0 -4 0" },
  support_scars: { soft: "M6 8H34V18H6ZM12 22V34M20 22V34M28 22V34", hard: "M6 18L9 21L12 17L15 21L18 18L21 21L24 17L27 21L30 18L34 20" },
  shifted_layers: { soft: "M6 20H26V34H6Z", hard: "M14 6H34V20H14Z" },
  stopped_feeding: { soft: "M15 4H25V10L20 16L15 10ZM6 34H34M6 29H34M6 24H20", hard: "M24 22L32 30M32 22L24 30" },
  loose_from_bed: { soft: "M3 35H37", hard: "M10 12L30 6L36 24L16 30ZM8 35L14 32" },
};
