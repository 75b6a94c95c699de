/** A moving shape as files: a sheet of four phases, and a film of some turns. */
import { saveBlob } from "../../../ui/save";

type Draw = (angle: number) => void;

const nextFrame = () => new Promise<void>((done) => requestAnimationFrame(() => done()));

/** Waits until what was drawn is on the canvas. */
async function shown() {
  await nextFrame();
  await nextFrame();
}

/** Four moments of a turn in one picture. */
export async function phases(canvas: HTMLCanvasElement | undefined, draw: Draw): Promise<Blob | undefined> {
  if (!canvas) return undefined;
  const sheet = document.createElement("canvas");
  const [w, h] = [canvas.width, canvas.height];
  sheet.width = 2 * w;
  sheet.height = 2 * h;
  const ctx = sheet.getContext("2d");
  if (!ctx) return undefined;
  ctx.fillStyle = getComputedStyle(document.documentElement).getPropertyValue("--sheet");
  ctx.fillRect(0, 0, sheet.width, sheet.height);
  for (let k = 0; k < 4; k++) {
    draw((k * Math.PI) / 2);
    await nextFrame();
    // What is drawn is there until the next frame begins.
    ctx.drawImage(canvas, (k % 2) * w, Math.floor(k / 2) * h);
    ctx.fillStyle = getComputedStyle(document.documentElement).getPropertyValue("--ink");
    ctx.font = `${Math.round(h / 22)}px sans-serif`;
    ctx.fillText(`${90 * k}°`, (k % 2) * w + h / 30, Math.floor(k / 2) * h + h / 14);
  }
  return new Promise((done) => sheet.toBlob((b) => done(b ?? undefined), "image/png"));
}

const TURNS = 3;
const FRAMES = 48;

/** A film of three turns. */
export async function filmed(canvas: HTMLCanvasElement | undefined, draw: Draw): Promise<Blob | undefined> {
  if (!canvas || typeof MediaRecorder === "undefined") return undefined;
  const parts: Blob[] = [];
  const recorder = new MediaRecorder(canvas.captureStream(30), { mimeType: "video/webm" });
  recorder.ondataavailable = (e) => parts.push(e.data);
  const ended = new Promise<void>((done) => {
    recorder.onstop = () => done();
  });
  recorder.start();
  for (let k = 0; k < TURNS * FRAMES; k++) {
    draw((2 * Math.PI * k) / FRAMES);
    await shown();
  }
  recorder.stop();
  await ended;
  return new Blob(parts, { type: "video/webm" });
}

/** Saves what the browser made; throws where it could not. */
export function save(file: Blob | undefined, name: string) {
  if (!file) throw new Error("This browser cannot make this file.");
  saveBlob(file, name);
}
