import { Vector3 } from "three";
import { fixed } from "../../lib/format";
import { PartViewer } from "./PartViewer";


export function Measured({ from, to, viewer }: { from: Vector3; to: Vector3; viewer: PartViewer }) {
  const { x, y } = viewer.stage.project(from.clone().add(to).multiplyScalar(0.5));
  const way = to.clone().sub(from);
  return (
    <span
      role="status"
      className="pointer-events-none absolute -translate-x-1/2 -translate-y-full border border-molten bg-base-100 px-1.5 text-sm"
      style={{ left: x, top: y - 4 }}
    >
      <strong>{fixed(way.length(), 2)} mm</strong>{" "}
      <span className="text-quiet">
        {[way.x, way.y, way.z].map((one) => fixed(Math.abs(one), 2)).join(" · ")}
      </span>
    </span>
  );
}
