/** The live connection: one WebSocket for the whole page, shared by whoever listens. */
import { useEffect, useRef, useSyncExternalStore } from "react";
import type { Status } from "./client";

export type Level = {
  input: number;
  peak: number;
  rms: number;
  mean: number;
  held: number;
  over: boolean;
  overHeld: boolean;
};
export type Picture =
  | { kind: "levels"; inputs: number[]; values: Float32Array }
  | { kind: "waveform"; inputs: number[]; points: number; seconds: number; units: string[]; values: Float32Array }
  | {
      kind: "spectrum";
      inputs: number[];
      lines: number;
      line_hz: number;
      averages: number;
      units: string[];
      values: Float32Array;
    };

export type Wish = {
  levels?: boolean;
  waveform?: { inputs: number[]; seconds: number; points: number };
  spectrum?: { inputs: number[]; block: number; to_hz?: number };
};

type Listener = () => void;

class LiveLink {
  status: Status | undefined;
  connected = false;
  private socket: WebSocket | undefined;
  private wishes = new Map<object, Wish>();
  private statusListeners = new Set<Listener>();
  private pictureListeners = new Set<(p: Picture) => void>();
  private wait = 250;

  open() {
    if (this.socket) return;
    const at = new URL("/api/live", window.location.href);
    at.protocol = at.protocol.replace("http", "ws");
    const socket = new WebSocket(at);
    socket.binaryType = "arraybuffer";
    this.socket = socket;
    socket.onopen = () => {
      this.connected = true;
      this.wait = 250;
      this.tell();
      this.changed();
    };
    socket.onmessage = (e) => (typeof e.data === "string" ? this.heard(e.data) : this.drawn(e.data));
    socket.onclose = () => {
      this.socket = undefined;
      this.connected = false;
      this.changed();
      window.setTimeout(() => this.open(), this.wait);
      this.wait = Math.min(this.wait * 2, 3000);
    };
  }

  private waiting = new Map<Picture["kind"], Picture>();
  private frame = 0;

  private heard(text: string) {
    const body = JSON.parse(text);
    if (body.capture) {
      this.status = body as Status;
      this.changed();
    }
  }

  private drawn(bytes: ArrayBuffer) {
    const length = new DataView(bytes).getUint32(0, true);
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length)));
    const values = new Float32Array(bytes, Math.ceil((4 + length) / 4) * 4);
    const picture = { ...head, values } as Picture;
    // Only the newest picture of a kind is drawn, and only when the screen takes one: a page that
    // draws slowly shows fewer pictures and still answers keys at once.
    this.waiting.set(picture.kind, picture);
    if (this.frame) return;
    this.frame = requestAnimationFrame(() => {
      const newest = [...this.waiting.values()];
      this.waiting.clear();
      this.frame = 0;
      for (const picture of newest) for (const l of this.pictureListeners) l(picture);
    });
  }

  private changed() {
    for (const l of this.statusListeners) l();
  }

  /** Brings the wishes of all listeners together. */
  private tell() {
    const all = [...this.wishes.values()];
    const wish: Wish = {
      levels: all.some((w) => w.levels),
      waveform: all.findLast((w) => w.waveform)?.waveform,
      spectrum: all.findLast((w) => w.spectrum)?.spectrum,
    };
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(wish));
  }

  wish(of: object, wish: Wish | undefined) {
    if (wish) this.wishes.set(of, wish);
    else this.wishes.delete(of);
    this.tell();
  }

  onStatus = (l: Listener) => {
    this.statusListeners.add(l);
    return () => this.statusListeners.delete(l);
  };

  onPicture(l: (p: Picture) => void) {
    this.pictureListeners.add(l);
    return () => {
      this.pictureListeners.delete(l);
    };
  }
}

export const live = new LiveLink();

/** Link, capture and store as the server last told; undefined before the first word. */
export const useStatus = () => useSyncExternalStore(live.onStatus, () => live.status);
/** Whether the server talks to this page. */
export const useConnected = () => useSyncExternalStore(live.onStatus, () => live.connected);

/** Asks for live pictures while mounted; `draw` is called for each without rendering anything anew. */
export function usePictures(wish: Wish | undefined, draw: (p: Picture) => void) {
  const latest = useRef(draw);
  latest.current = draw;
  const key = JSON.stringify(wish);
  useEffect(() => {
    const me = {};
    live.wish(me, key ? JSON.parse(key) : undefined);
    const off = live.onPicture((p) => latest.current(p));
    return () => {
      live.wish(me, undefined);
      off();
    };
  }, [key]);
}

/** Reads the five numbers a level picture holds for each input. */
export function levelsOf(p: Picture): Level[] {
  if (p.kind !== "levels") return [];
  return p.inputs.map((input, i) => {
    const at = (k: number) => p.values[i * 5 + k] ?? 0;
    const flags = at(4);
    return {
      input,
      peak: at(0),
      rms: at(1),
      mean: at(2),
      held: at(3),
      over: (flags & 1) !== 0,
      overHeld: (flags & 2) !== 0,
    };
  });
}
