/** The drawing of a geometry in three dimensions: lines, faces, points, and the surface they are put onto. */
import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  CanvasTexture,
  Color,
  DirectionalLight,
  DoubleSide,
  LineBasicMaterial,
  LineDashedMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  MeshLambertMaterial,
  type Object3D,
  OrthographicCamera,
  Points,
  PointsMaterial,
  Raycaster,
  Scene,
  Vector2,
  Vector3,
  WebGLRenderer,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { colour } from "../../../ui/traces";
import { nearest, type Seen, write } from "./overlay";

type Place = [number, number, number];

/** What is drawn. */
export type Shown = {
  names: string[];
  places: Place[];
  /** Lines and faces through points by their rows. */
  lines: number[][];
  faces: number[][];
  surface: Float32Array | undefined;
  /** Sensors: the row of their point, and which way they show. */
  sensors: { row: number; way: Place }[];
  selected: number[];
  numbers: boolean;
  directions: string[];
  /** The state of each point, as a token of colour; “open” for a ring. */
  tones?: string[];
  /** Draws the structure at rest behind what moves. */
  behind?: boolean;
  /** Draws how far each point has moved. */
  arrows?: boolean;
};

/** Views along the axes and over a corner, by their keys. */
export const views: Record<string, { says: string; from: Place }> = {
  "1": { says: "over a corner", from: [1, -1.4, 1] },
  "2": { says: "along x", from: [-1, 0, 0] },
  "3": { says: "along y", from: [0, -1, 0] },
  "4": { says: "from above", from: [0, -1e-4, 1] },
};

const corner = (): Place => [1, -1.4, 1];

/** A round dot instead of the square that a point is drawn as. */
function dot(): CanvasTexture {
  const el = document.createElement("canvas");
  el.width = el.height = 32;
  const ctx = el.getContext("2d");
  if (ctx) {
    ctx.fillStyle = "#fff";
    ctx.beginPath();
    ctx.arc(16, 16, 15, 0, 7);
    ctx.fill();
  }
  return new CanvasTexture(el);
}

export class Drawing3 {
  private renderer: WebGLRenderer;
  private scene = new Scene();
  private camera = new OrthographicCamera(-1, 1, 1, -1, 0.001, 10);
  private controls: OrbitControls;
  private shown: Shown | undefined;
  private surface: Mesh | undefined;
  private drawn: Object3D[] = [];
  private seen: Seen[] = [];
  private dotted = dot();
  private middle = new Vector3();
  private reach = 1;
  /** Half of what the picture holds, across and upwards. */
  private half: [number, number] = [1, 1];
  private frame = 0;
  private fitted = "";
  /** What follows the points when they move: places of which rows, and the colours of faces. */
  private following: { at: BufferAttribute; rows: number[]; tint?: BufferAttribute }[] = [];
  /** Where the points are now, when they are not at rest. */
  private moved: Float32Array | undefined;

  constructor(
    private gl: HTMLCanvasElement,
    private over: HTMLCanvasElement,
  ) {
    this.renderer = new WebGLRenderer({ canvas: gl, antialias: true, alpha: true });
    this.renderer.setPixelRatio(window.devicePixelRatio || 1);
    this.camera.up.set(0, 0, 1);
    this.controls = new OrbitControls(this.camera, over);
    this.controls.enableDamping = false;
    this.controls.zoomToCursor = true;
    this.controls.addEventListener("change", () => this.soon());
    const sun = new DirectionalLight(0xffffff, 1.6);
    sun.position.set(1, -2, 3);
    this.scene.add(sun, new AmbientLight(0xffffff, 1.4));
  }

  /** Shows a geometry; the view is fitted to it where it has another extent than before. */
  show(shown: Shown) {
    const before = this.shown;
    this.shown = shown;
    const same =
      before?.places === shown.places &&
      before.lines === shown.lines &&
      before.faces === shown.faces &&
      before.behind === shown.behind &&
      before.tones === shown.tones &&
      before.surface === shown.surface;
    if (before?.places !== shown.places) this.moved = undefined;
    if (!same) this.build(shown);
    this.soon();
  }

  /** Puts every point somewhere else: places in turn; `far` tells how far each goes, 0 to 1, as colour. */
  move(places: Float32Array, far: Float32Array | undefined) {
    this.moved = places;
    const [calm, most] = [new Color(colour("shoal")), new Color(colour("magenta"))];
    const mixed = new Color();
    for (const f of this.following) {
      for (const [i, r] of f.rows.entries())
        f.at.setXYZ(i, places[3 * r] as number, places[3 * r + 1] as number, places[3 * r + 2] as number);
      f.at.needsUpdate = true;
      if (!f.tint) continue;
      for (const [i, r] of f.rows.entries()) {
        mixed.lerpColors(calm, most, far?.[r] ?? 0);
        f.tint.setXYZ(i, mixed.r, mixed.g, mixed.b);
      }
      f.tint.needsUpdate = true;
    }
    this.soon();
  }

  /** Draws everything anew in the colours that are in force. */
  repaint() {
    if (this.shown) this.build(this.shown);
    this.soon();
  }

  private build(s: Shown) {
    for (const o of this.drawn) {
      this.scene.remove(o);
      (o as Mesh).geometry?.dispose();
    }
    this.drawn = [];
    this.following = [];
    this.surface = undefined;
    const now = (r: number): Place => {
      const m = this.moved;
      return m ? [m[3 * r] ?? 0, m[3 * r + 1] ?? 0, m[3 * r + 2] ?? 0] : (s.places[r] ?? [0, 0, 0]);
    };
    const add = (o: Object3D) => {
      this.scene.add(o);
      this.drawn.push(o);
    };
    const of = (rows: number[]) => {
      const flat = new Float32Array(rows.length * 3);
      for (const [i, r] of rows.entries()) flat.set(now(r), 3 * i);
      const at = new BufferAttribute(flat, 3);
      this.following.push({ at, rows });
      return new BufferGeometry().setAttribute("position", at);
    };
    if (s.surface && s.surface.length > 0) {
      const g = new BufferGeometry().setAttribute("position", new BufferAttribute(s.surface, 3));
      g.computeVertexNormals();
      const grey = new MeshLambertMaterial({ color: new Color(colour("graticule")), side: DoubleSide });
      this.surface = new Mesh(g, grey);
      add(this.surface);
    }
    const corners = s.faces.flatMap((f) => (f.length === 4 ? [f[0], f[1], f[2], f[0], f[2], f[3]] : f) as number[]);
    if (corners.length > 0) {
      const paint = { vertexColors: true, transparent: true, opacity: 0.7, side: DoubleSide };
      const shape = of(corners);
      const shoal = new Color(colour("shoal"));
      const tint = new BufferAttribute(new Float32Array(corners.flatMap(() => shoal.toArray())), 3);
      shape.setAttribute("color", tint);
      Object.assign(this.following.at(-1) as object, { tint });
      add(
        new Mesh(
          shape,
          new MeshBasicMaterial({ ...paint, depthWrite: false, polygonOffset: true, polygonOffsetFactor: 1 }),
        ),
      );
    }
    const through = s.lines.length > 0 ? s.lines : s.faces.map((f) => [...f, f[0] as number]);
    const pairs = through.flatMap((l) => l.slice(1).flatMap((to, i) => [l[i] as number, to]));
    if (pairs.length > 0) add(new LineSegments(of(pairs), new LineBasicMaterial({ color: new Color(colour("ink")) })));
    if (pairs.length > 0 && s.behind) {
      const flat = new Float32Array(pairs.flatMap((r) => s.places[r] ?? [0, 0, 0]));
      const rest = new BufferGeometry().setAttribute("position", new BufferAttribute(flat, 3));
      const dashes = { dashSize: 0.03 * this.reach, gapSize: 0.025 * this.reach };
      const faint = new LineSegments(rest, new LineDashedMaterial({ color: new Color(colour("ink-soft")), ...dashes }));
      faint.computeLineDistances();
      add(faint);
    }
    if (s.places.length > 0) {
      const round = { map: this.dotted, alphaTest: 0.5, transparent: true, sizeAttenuation: false };
      const size = (s.places.length > 500 ? 5 : 7) * (window.devicePixelRatio || 1);
      const points = new Points(
        of(s.places.map((_, i) => i)),
        new PointsMaterial({ ...round, color: new Color(colour(s.tones ? "ink-soft" : "ink")), size }),
      );
      points.renderOrder = 2;
      add(points);
    }
    const extent = this.extent(s);
    if (extent !== this.fitted) {
      this.fitted = extent;
      this.fit();
    }
  }

  /** Where everything lies: middle and reach are kept, the rest tells whether it changed. */
  private extent(s: Shown): string {
    const [low, high] = [new Vector3(1e30, 1e30, 1e30), new Vector3(-1e30, -1e30, -1e30)];
    const v = new Vector3();
    const take = (x: number, y: number, z: number) => {
      v.set(x, y, z);
      low.min(v);
      high.max(v);
    };
    for (const [x, y, z] of s.places) take(x, y, z);
    const f = s.surface;
    for (let i = 0; f && i + 2 < f.length; i += 3) take(f[i] as number, f[i + 1] as number, f[i + 2] as number);
    if (low.x > high.x) return "";
    this.middle.addVectors(low, high).multiplyScalar(0.5);
    this.reach = Math.max(high.distanceTo(low) / 2, 1e-6);
    return [...low.toArray(), ...high.toArray()].map((x) => x.toPrecision(4)).join(" ");
  }

  /** Brings everything into the picture, seen from where it is seen now or from another side. */
  /** Where it is looked from: place, what is looked at, how near. */
  stand(): number[] {
    return [...this.camera.position.toArray(), ...this.controls.target.toArray(), this.camera.zoom];
  }

  /** Looks from somewhere that was kept. */
  standAt([x = 0, y = 0, z = 0, tx = 0, ty = 0, tz = 0, zoom = 1]: number[]) {
    this.camera.position.set(x, y, z);
    this.controls.target.set(tx, ty, tz);
    this.camera.zoom = zoom;
    this.camera.updateProjectionMatrix();
    this.controls.update();
    this.soon();
  }

  /** Says when somebody has turned it, moved it or come nearer. */
  onTurned(then: () => void) {
    this.controls.addEventListener("end", then);
  }

  fit(from?: Place) {
    const way = from ? new Vector3(...from) : this.camera.position.clone().sub(this.controls.target);
    if (way.lengthSq() < 1e-12) way.set(...corner());
    way.normalize().multiplyScalar(4 * this.reach);
    this.controls.target.copy(this.middle);
    this.camera.position.copy(this.middle).add(way);
    this.camera.near = 0.01 * this.reach;
    this.camera.far = 40 * this.reach;
    this.camera.zoom = 1;
    this.controls.update();
    this.frameIt(way);
    this.size();
    this.controls.update();
    this.soon();
  }

  /** How far the picture must reach to hold everything as it is seen now, with its middle in the middle. */
  private frameIt(way: Vector3) {
    this.camera.updateMatrixWorld(true);
    const [low, high] = [new Vector2(1e30, 1e30), new Vector2(-1e30, -1e30)];
    const v = new Vector3();
    const take = (x: number, y: number, z: number) => {
      v.set(x, y, z).applyMatrix4(this.camera.matrixWorldInverse);
      low.min(new Vector2(v.x, v.y));
      high.max(new Vector2(v.x, v.y));
    };
    for (const p of this.shown?.places ?? []) take(...p);
    const f = this.shown?.surface;
    // Some corners of a large surface tell its outline well enough.
    const step = 3 * Math.max(1, Math.floor((f?.length ?? 0) / 60_000));
    for (let i = 0; f && i + 2 < f.length; i += step) take(f[i] as number, f[i + 1] as number, f[i + 2] as number);
    if (low.x > high.x) return;
    v.set((low.x + high.x) / 2, (low.y + high.y) / 2, 0).transformDirection(this.camera.matrixWorld);
    const off = Math.hypot((low.x + high.x) / 2, (low.y + high.y) / 2);
    if (off > 1e-9 * this.reach) this.controls.target.addScaledVector(v, off);
    this.camera.position.copy(this.controls.target).add(way);
    const least = 0.02 * this.reach;
    this.half = [Math.max((high.x - low.x) / 2, least), Math.max((high.y - low.y) / 2, least)];
  }

  /** Turns by so many degrees to the right and up. */
  turn(right: number, up: number) {
    const way = this.camera.position.clone().sub(this.controls.target);
    const side = new Vector3().crossVectors(this.camera.up, way).normalize();
    way.applyAxisAngle(this.camera.up, (-right * Math.PI) / 180);
    const tilted = way.clone().applyAxisAngle(side, (-up * Math.PI) / 180);
    // Not over the pole, where left and right would change places.
    if (Math.abs(tilted.clone().normalize().dot(this.camera.up)) < 0.9999) way.copy(tilted);
    this.camera.position.copy(this.controls.target).add(way);
    this.controls.update();
    this.soon();
  }

  /** Zooms. */
  zoom(by: number) {
    this.camera.zoom = Math.min(Math.max(this.camera.zoom * by, 0.05), 500);
    this.camera.updateProjectionMatrix();
    this.soon();
  }

  /** Fits the canvases to their box. */
  size() {
    const [w, h] = [Math.max(this.over.clientWidth, 1), Math.max(this.over.clientHeight, 1)];
    this.renderer.setSize(w, h, false);
    // Room for names at the edges.
    const [wide, high] = [Math.max(w - 150, w / 2), Math.max(h - 70, h / 2)];
    const scale = Math.max((2 * this.half[0]) / wide, (2 * this.half[1]) / high);
    const [x, y] = [(scale * w) / 2, (scale * h) / 2];
    [this.camera.left, this.camera.right, this.camera.top, this.camera.bottom] = [-x, x, y, -y];
    this.camera.updateProjectionMatrix();
    this.soon();
  }

  /** The point at a place of the picture, px. */
  pick(x: number, y: number) {
    return nearest(this.seen, x, y);
  }

  /** Where the surface is hit at a place of the picture; a corner of it within a finger's breadth is meant. */
  hit(x: number, y: number): Place | undefined {
    if (!this.surface) return undefined;
    const ray = new Raycaster();
    const [w, h] = [this.over.clientWidth, this.over.clientHeight];
    ray.setFromCamera(new Vector2((x / w) * 2 - 1, 1 - (y / h) * 2), this.camera);
    const hit = ray.intersectObject(this.surface)[0];
    if (!hit?.face) return undefined;
    const at = this.surface.geometry.getAttribute("position");
    const corners = [hit.face.a, hit.face.b, hit.face.c].map((i) => new Vector3().fromBufferAttribute(at, i));
    const near = nearest(
      corners.map((c) => this.project(c)),
      x,
      y,
      10,
    );
    return (near === undefined ? hit.point : (corners[near] as Vector3)).toArray() as Place;
  }

  private project(v: Vector3): Seen {
    const p = v.clone().project(this.camera);
    const [w, h] = [this.over.clientWidth, this.over.clientHeight];
    return { x: ((p.x + 1) / 2) * w, y: ((1 - p.y) / 2) * h, depth: (p.z + 1) / 2 };
  }

  private soon() {
    if (this.frame) return;
    this.frame = requestAnimationFrame(() => {
      this.frame = 0;
      this.draw();
    });
  }

  private draw() {
    const s = this.shown;
    if (!s) return;
    this.renderer.render(this.scene, this.camera);
    const m = this.moved;
    this.seen = s.places.map((p, i) =>
      this.project(m ? new Vector3(m[3 * i], m[3 * i + 1], m[3 * i + 2]) : new Vector3(...p)),
    );
    const ratio = window.devicePixelRatio || 1;
    const [wide, high] = [this.over.clientWidth, this.over.clientHeight];
    if (this.over.width !== wide * ratio || this.over.height !== high * ratio) {
      this.over.width = wide * ratio;
      this.over.height = high * ratio;
    }
    const ctx = this.over.getContext("2d");
    if (!ctx) return;
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
    // An arrow is as long on the screen whatever the zoom, and shorter where there are many.
    const pixel = (this.camera.right - this.camera.left) / this.camera.zoom / Math.max(wide, 1);
    const long = pixel * (s.sensors.length > 60 ? 15 : 34);
    const arrows = s.sensors.flatMap(({ row, way }) => {
      const [at, place] = [this.seen[row], s.places[row]];
      if (!at || !place) return [];
      return [{ at, tip: this.project(new Vector3(...place).addScaledVector(new Vector3(...way), long)) }];
    });
    if (s.arrows && m) {
      for (const [i, p] of s.places.entries()) {
        const [at, tip] = [this.project(new Vector3(...p)), this.seen[i]];
        if (tip && Math.hypot(tip.x - at.x, tip.y - at.y) > 2) arrows.push({ at, tip });
      }
    }
    const turned = this.camera.matrixWorldInverse;
    const triad = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)].map((v, i) => {
      v.transformDirection(turned);
      return { x: v.x, y: v.y, says: s.directions[i] ?? "" };
    });
    const selected = new Set(s.selected);
    write(ctx, {
      wide,
      high,
      seen: this.seen,
      names: s.names,
      numbers: s.numbers,
      selected,
      arrows,
      triad,
      tones: s.tones,
    });
    // Told to whoever waits for the picture.
    this.gl.dataset.drawn = `${s.places.length} points`;
  }

  dispose() {
    cancelAnimationFrame(this.frame);
    this.controls.dispose();
    for (const o of this.drawn) (o as Mesh).geometry?.dispose();
    this.dotted.dispose();
    this.renderer.dispose();
  }
}
