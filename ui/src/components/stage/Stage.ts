import {
  Box3,
  Color,
  DirectionalLight,
  GridHelper,
  HemisphereLight,
  OrthographicCamera,
  Scene,
  Vector3,
  WebGLRenderer,
  type Material,
  type Plane,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";

export type ViewName = "corner" | "front" | "right" | "back" | "left" | "above" | "below";

const DIRECTIONS: Record<ViewName, readonly [number, number, number]> = {
  corner: [-0.55, -1, 0.6],
  front: [0, -1, 0],
  right: [1, 0, 0],
  back: [0, 1, 0],
  left: [-1, 0, 0],
  // Not quite along the axis, so that up stays up.
  above: [0, -1e-4, 1],
  below: [0, -1e-4, -1],
};

/** A scene on a canvas: camera, light, bed, turning and zooming. It draws when something has changed, and only then. */
export class Stage {
  readonly scene = new Scene();
  readonly camera = new OrthographicCamera(-1, 1, 1, -1, 0.1, 10_000);
  readonly controls: OrbitControls;
  readonly renderer: WebGLRenderer;
  /** Told whenever the picture changes, so that labels over it can follow. */
  onDraw: (() => void) | null = null;
  private readonly watcher: ResizeObserver;
  private waiting = 0;
  private radius = 50;
  private centre = new Vector3();
  private readonly box = new Box3();
  private bed: GridHelper | null = null;

  /** `smooth`: edges without steps; where the processor draws, that takes three times as long. Throws where the browser has no WebGL. */
  constructor(
    readonly canvas: HTMLCanvasElement,
    smooth = true,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: smooth, alpha: true });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.camera.up.set(0, 0, 1);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.addEventListener("change", () => this.draw());
    const sky = new HemisphereLight(0xffffff, 0x8a7f70, 1.5);
    sky.position.set(0, 0, 1);
    const lamp = new DirectionalLight(0xffffff, 1.9);
    lamp.position.set(-0.5, -0.8, 1.3);
    this.scene.add(sky, lamp);
    this.watcher = new ResizeObserver(() => this.resize());
    if (canvas.parentElement) this.watcher.observe(canvas.parentElement);
    this.resize();
  }

  /** Draw at the next frame; asking often costs nothing. */
  draw(): void {
    if (this.waiting !== 0) return;
    this.waiting = requestAnimationFrame(() => {
      this.waiting = 0;
      this.renderer.render(this.scene, this.camera);
      this.onDraw?.();
    });
  }

  /** Show a box whole. */
  frame(box: Box3, keepDirection = false): void {
    this.box.copy(box);
    box.getCenter(this.centre);
    this.radius = Math.max(1, box.getSize(new Vector3()).length() / 2);
    this.layBed(box);
    if (keepDirection) {
      this.place(this.camera.position.clone().sub(this.controls.target));
    } else {
      this.look("corner");
    }
  }

  /** Look from a standard direction. */
  look(view: ViewName): void {
    this.place(new Vector3(...DIRECTIONS[view]));
  }

  /** Look at a point, from where the camera stands. */
  lookAt(point: Vector3, zoom: number): void {
    const away = this.camera.position.clone().sub(this.controls.target);
    this.controls.target.copy(point);
    this.camera.position.copy(point).add(away);
    this.camera.zoom = Math.max(this.camera.zoom, zoom);
    this.camera.updateProjectionMatrix();
    this.controls.update();
    this.draw();
  }

  /** Look from where another stage looks, at the same scale. */
  lookLike(other: Stage): void {
    this.controls.target.copy(other.controls.target);
    this.camera.position.copy(other.camera.position);
    this.camera.zoom = other.camera.zoom * (other.radius > 0 ? this.radius / other.radius : 1);
    this.camera.updateProjectionMatrix();
    this.controls.update();
    this.draw();
  }

  /** Millimetres on screen for one pixel. */
  get pixel_mm(): number {
    const height = this.canvas.clientHeight || 1;
    return (this.camera.top - this.camera.bottom) / this.camera.zoom / height;
  }

  /** Where a point of the scene lies on the canvas, in CSS pixels. */
  project(point: Vector3): { x: number; y: number } {
    const at = point.clone().project(this.camera);
    return { x: ((at.x + 1) / 2) * this.canvas.clientWidth, y: ((1 - at.y) / 2) * this.canvas.clientHeight };
  }

  clip(planes: Plane[]): void {
    this.renderer.clippingPlanes = planes;
    this.draw();
  }

  dispose(): void {
    cancelAnimationFrame(this.waiting);
    this.watcher.disconnect();
    this.controls.dispose();
    this.renderer.dispose();
  }

  private place(direction: Vector3): void {
    this.controls.target.copy(this.centre);
    this.camera.position.copy(this.centre).add(direction.normalize().multiplyScalar(this.radius * 4));
    this.camera.near = 0.01;
    this.camera.far = this.radius * 12;
    this.camera.zoom = 1;
    this.resize();
    this.controls.update();
    this.fit();
    this.draw();
  }

  /** Zoom so that the box just fills the picture from where the camera stands. */
  private fit(): void {
    this.camera.updateMatrixWorld();
    const [right, up] = [new Vector3(), new Vector3()];
    this.camera.matrixWorld.extractBasis(right, up, new Vector3());
    const half = this.box.getSize(new Vector3()).multiplyScalar(0.5);
    const reach = (axis: Vector3) => Math.abs(axis.x) * half.x + Math.abs(axis.y) * half.y + Math.abs(axis.z) * half.z;
    const room = [this.camera.right / Math.max(1e-6, reach(right)), this.camera.top / Math.max(1e-6, reach(up))];
    this.camera.zoom = 0.86 * Math.min(...room);
    this.camera.updateProjectionMatrix();
  }

  private resize(): void {
    const box = this.canvas.parentElement?.getBoundingClientRect();
    if (!box || box.width === 0) return;
    this.renderer.setSize(box.width, box.height, false);
    const half = this.radius * 1.12;
    const wide = box.width / box.height;
    const [x, y] = wide > 1 ? [half * wide, half] : [half, half / wide];
    Object.assign(this.camera, { left: -x, right: x, top: y, bottom: -y });
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  /** A grid of centimetres under the part. */
  private layBed(box: Box3): void {
    if (this.bed) {
      this.scene.remove(this.bed);
      this.bed.geometry.dispose();
      (this.bed.material as Material).dispose();
    }
    const size = box.getSize(new Vector3());
    const side = Math.ceil((Math.max(size.x, size.y) * 1.3) / 20) * 20;
    const line = new Color(cssColour("--rule"));
    this.bed = new GridHelper(side, side / 10, line, line);
    this.bed.rotation.x = Math.PI / 2;
    this.bed.position.set(Math.round(this.centre.x / 10) * 10, Math.round(this.centre.y / 10) * 10, -0.02);
    this.scene.add(this.bed);
  }
}

/** A colour of the theme, as the page has it now. */
export function cssColour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim() || "#888888";
}
