import { Vector3 } from "three";
import { type Spot } from "../../api/client";
import { PartViewer } from "./PartViewer";


/** A numbered mark over the picture at a place of the part. */
export function SpotMark({ spot, number, viewer }: { spot: Spot; number: number; viewer: PartViewer }) {
  const { x, y } = viewer.stage.project(new Vector3(spot.x, spot.y, spot.z));
  return (
    <span
      className="pointer-events-none absolute flex h-5 w-5 -translate-x-1/2 -translate-y-1/2 items-center justify-center rounded-full border-2 border-base-100 bg-neutral text-xs text-neutral-content"
      style={{ left: x, top: y }}
      aria-hidden="true"
    >
      {number}
    </span>
  );
}
