import {
  Box3,
  BufferAttribute,
  BufferGeometry,
  DoubleSide,
  BackSide,
  FrontSide,
  Line,
  LineBasicMaterial,
  Mesh as Model,
  MeshBasicMaterial,
  MeshLambertMaterial,
  Plane,
  Raycaster,
  Vector2,
  Vector3,
} from "three";
import type { Mesh } from "../../api/binary";
import { cssColour, type Stage } from "../../components/stage/Stage";
import { facets, shadeFacets, type Facets, type Shade } from "./colours";

export interface Hit {
  point: Vector3;
  normal: Vector3;
}

/** One part on a stage: its colours, a section, a measured line, and what lies under the pointer. */
export class PartViewer {
  private facets: Facets | null = null;
  private model: Model | null = null;
  private inner: Model | null = null;
  private line: Line | null = null;
  private readonly box = new Box3();
  private readonly caster = new Raycaster();

  constructor(readonly stage: Stage) {}

  /** Show a mesh; the first one is framed, later ones are looked at from where the camera stands. */
  show(mesh: Mesh): void {
    const again = this.model !== null;
    this.clear();
    this.facets = facets(mesh);
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new BufferAttribute(this.facets.positions, 3));
    geometry.setAttribute("normal", new BufferAttribute(this.facets.normals, 3));
    geometry.computeBoundingBox();
    this.model = new Model(geometry, new MeshLambertMaterial({ vertexColors: true, side: FrontSide }));
    // Where a section opens the part, its inner sides are one flat tone, which reads as cut material.
    this.inner = new Model(geometry, new MeshBasicMaterial({ color: cssColour("--molten"), side: BackSide }));
    this.inner.visible = false;
    this.stage.scene.add(this.model, this.inner);
    this.box.copy(geometry.boundingBox ?? new Box3());
    this.stage.frame(this.box, again);
    this.shade("plain", undefined);
  }

  shade(shade: Shade, thickness: Float32Array | undefined): void {
    if (this.model === null || this.facets === null) return;
    const colours = shadeFacets(this.facets, shade, thickness);
    this.model.geometry.setAttribute("color", new BufferAttribute(colours, 3));
    this.stage.draw();
  }

  /** Take away what lies above a height; null shows all. */
  cut(height_mm: number | null): void {
    if (this.inner) this.inner.visible = height_mm !== null;
    this.stage.clip(height_mm === null ? [] : [new Plane(new Vector3(0, 0, -1), height_mm)]);
  }

  /** What lies under a point of the canvas, in CSS pixels from its corner. */
  hit(x: number, y: number): Hit | null {
    if (this.model === null) return null;
    const { canvas } = this.stage;
    const at = new Vector2((2 * x) / canvas.clientWidth - 1, 1 - (2 * y) / canvas.clientHeight);
    this.caster.setFromCamera(at, this.stage.camera);
    const planes = this.stage.renderer.clippingPlanes;
    const found = this.caster
      .intersectObject(this.model)
      .find((one) => planes.every((plane) => plane.distanceToPoint(one.point) >= 0));
    if (!found?.face) return null;
    return { point: found.point, normal: found.face.normal.clone() };
  }

  /** A line between two measured points; none takes it away. */
  measure(points: readonly Vector3[]): void {
    if (this.line) {
      this.stage.scene.remove(this.line);
      this.line.geometry.dispose();
    }
    this.line = null;
    if (points.length === 2) {
      const material = new LineBasicMaterial({ color: cssColour("--molten"), depthTest: false, side: DoubleSide });
      this.line = new Line(new BufferGeometry().setFromPoints([...points]), material);
      this.line.renderOrder = 10;
      this.stage.scene.add(this.line);
    }
    this.stage.draw();
  }

  clear(): void {
    for (const one of [this.model, this.inner]) {
      if (one === null) continue;
      this.stage.scene.remove(one);
      one.geometry.dispose();
    }
    this.measure([]);
  }
}
