import { useCallback, useRef } from "react";
import type { Stage, ViewName } from "../../components/stage/Stage";

/** Two pictures that are turned as one. */
export function useTwinStages() {
  const stages = useRef<(Stage | null)[]>([null, null]);
  const syncing = useRef(false);
  const join = useCallback((which: number, stage: Stage | null) => {
    stages.current[which] = stage;
    if (stage === null) return;
    const other = stages.current[1 - which];
    if (other) stage.lookLike(other);
    stage.controls.addEventListener("change", () => {
      const twin = stages.current[1 - which];
      if (syncing.current || !twin) return;
      syncing.current = true;
      twin.lookLike(stage);
      syncing.current = false;
    });
  }, []);
  const look = useCallback((view: ViewName) => stages.current.forEach((stage) => stage?.look(view)), []);
  return { join, look };
}
