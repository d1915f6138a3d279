import {
  AmbientLight,
  BackSide,
  Box3,
  BufferGeometry,
  Color,
  DirectionalLight,
  FrontSide,
  Group,
  LineBasicMaterial,
  LineLoop,
  Mesh,
  MeshLambertMaterial,
  Path,
  PerspectiveCamera,
  Scene,
  Shape,
  ShapeGeometry,
  SRGBColorSpace,
  Texture,
  TextureLoader,
  Vector3,
  WebGLRenderer,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { ink } from "../../roll/ink";
import { type Folds, placed } from "./folding";

/** Folded work in space: panels with their art on the printed side, turned by the hand. */
export class FoldScene {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new PerspectiveCamera(35, 1, 1, 20_000);
  private readonly controls: OrbitControls;
  private readonly panels: Group[];
  /** Hands have turned it: it stays as they left it. */
  private led = false;

  /** Throws where the browser draws nothing in space. */
  constructor(
    private readonly folds: Folds,
    private readonly canvas: HTMLCanvasElement,
    picture: string,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true });
    this.scene.background = new Color(ink("felt"));
    const art = new TextureLoader().load(picture, () => this.draw());
    art.colorSpace = SRGBColorSpace;
    this.panels = folds.panels.map((ring, number) => this.panel(ring, folds.holes[number] ?? [], art));
    this.scene.add(...this.panels);
    // light enough for the art, and each side of a box a little other
    const sun = new DirectionalLight("white", 1.1);
    sun.position.set(0.4, -0.8, 1);
    this.scene.add(new AmbientLight("white", 2.1), sun);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener("change", () => this.draw());
    this.controls.addEventListener("start", () => (this.led = true));
  }

  private panel(ring: [number, number][], holes: [number, number][][], art: Texture): Group {
    const shape = new Shape(ring.map(([x, y]) => new Vector3(x, y, 0)) as never);
    shape.holes = holes.map((hole) => new Path(hole.map(([x, y]) => new Vector3(x, y, 0)) as never));
    const front = new ShapeGeometry(shape);
    const { width_mm, height_mm } = this.folds;
    const [position, uv] = [front.attributes.position, front.attributes.uv];
    if (position && uv) for (let n = 0; n < position.count; n++) uv.setXY(n, position.getX(n) / width_mm, position.getY(n) / height_mm);
    const nearer = { polygonOffset: true, polygonOffsetFactor: -1, polygonOffsetUnits: -1 };
    const printed = new Mesh(front, new MeshLambertMaterial({ map: art, transparent: true, ...nearer }));
    const card = new Mesh(front, new MeshLambertMaterial({ color: "white", side: FrontSide }));
    const back = new Mesh(front, new MeshLambertMaterial({ color: ink("kraft-wash"), side: BackSide }));
    const edge = new LineLoop(
      new BufferGeometry().setFromPoints(ring.map(([x, y]) => new Vector3(x, y, 0))),
      new LineBasicMaterial({ color: ink("slate") }),
    );
    const group = new Group();
    group.matrixAutoUpdate = false;
    group.add(back, card, printed, edge);
    return group;
  }

  /** From above and a little from the side, all of it in view. */
  look() {
    const box = new Box3().setFromPoints(this.corners());
    const [middle, size] = [box.getCenter(new Vector3()), box.getSize(new Vector3()).length()];
    this.controls.target.copy(middle);
    this.camera.up.set(0, 0, 1);
    const away = 1.55 * Math.max(1, 1.15 / this.camera.aspect); // on a narrow stage further
    this.camera.position.copy(middle).add(new Vector3(0.55, -1, 0.85).setLength(away * size));
    this.led = false;
    this.controls.update();
    this.draw();
  }

  private corners(): Vector3[] {
    return this.panels.flatMap((panel, number) =>
      (this.folds.panels[number] ?? []).map(([x, y]) => new Vector3(x, y, 0).applyMatrix4(panel.matrix)),
    );
  }

  /** Turned and nearer by so many steps. */
  step(around: number, up: number, nearer: number) {
    this.led = true;
    const from = this.camera.position.clone().sub(this.controls.target);
    from.applyAxisAngle(new Vector3(0, 0, 1), around);
    const side = new Vector3().crossVectors(new Vector3(0, 0, 1), from).normalize();
    from.applyAxisAngle(side, up).multiplyScalar(nearer);
    this.camera.position.copy(this.controls.target).add(from);
    this.controls.update();
    this.draw();
  }

  fold(share: number) {
    const matrices = placed(this.folds, share);
    this.panels.forEach((panel, number) => {
      const matrix = matrices[number];
      if (matrix) panel.matrix.copy(matrix);
      panel.matrixWorldNeedsUpdate = true;
    });
    this.draw();
  }

  resize(width: number, height: number) {
    this.renderer.setPixelRatio(window.devicePixelRatio);
    this.renderer.setSize(width, height, false);
    this.camera.aspect = width / Math.max(1, height);
    this.camera.updateProjectionMatrix();
    if (this.led) this.draw();
    else this.look();
  }

  draw() {
    this.renderer.render(this.scene, this.camera);
    // what is seen can be told by tests and by a person who asks for help
    this.canvas.dataset.drawn = String(this.renderer.info.render.triangles);
  }

  end() {
    this.controls.dispose();
    this.renderer.dispose();
  }
}
