/** The live connection: one WebSocket for the whole page, shared by whoever listens. */
import { useEffect, useRef, useSyncExternalStore } from "react";
import { type Schema, type Status, shownCampaign } from "./client";

export type Level = {
  input: number;
  peak: number;
  rms: number;
  mean: number;
  held: number;
  over: boolean;
  overHeld: boolean;
  /** What the sensor's supply finds. */
  circuit: "in order" | "open" | "shorted";
};
/** What a pane is to show: the server sends its pictures until it is taken back. */
export type Show =
  | { show: "waveform"; inputs: number[]; seconds: number; points: number }
  | { show: "strip"; inputs: number[]; seconds?: number | undefined; points: number }
  | {
      show: "spectrum";
      inputs: number[];
      block: number;
      to_hz?: number | undefined;
      averages?: number | undefined;
      unit?: string | undefined;
      envelope_hz?: [number, number] | undefined;
      /** Largest values are sent too; another number begins anew. */
      hold?: number;
    }
  | { show: "numbers"; inputs: number[]; seconds: number }
  | { show: "orbit"; x: number; y: number; seconds: number }
  | { show: "speed"; points: number };

type Of<K extends string, T> = { kind: K; pane: number; values: Float32Array } & T;
export type Lines = { inputs: number[]; units: string[] };
export type Picture =
  | { kind: "levels"; inputs: number[]; values: Float32Array }
  | Of<"waveform", Lines & { points: number; seconds: number }>
  | Of<"strip", Lines & { points: number; seconds: number }>
  | Of<"spectrum", Lines & { lines: number; line_hz: number; averages: number }>
  | Of<"numbers", Lines>
  | Of<"orbit", { points: number; marks: number[]; unit: string }>
  | Of<
      "speed",
      { input: number; points: number; seconds: number; tacho: Schema["Tachometer"]; reading: Schema["PulseReading"] }
    >;
export type PictureOf<K extends Show["show"]> = Extract<Picture, { kind: K }>;

type Listener = () => void;

/** The server tells the status every second at least; older than this it is doubtful, s. */
const DOUBTFUL = 2;
/** A connection that has said nothing for so long is given up and made anew, s. */
const DEAD = 8;

class LiveLink {
  status: Status | undefined;
  connected = false;
  private socket: WebSocket | undefined;
  private levels = new Set<(p: Picture) => void>();
  private panes = new Map<number, { show: Show; draw: (p: Picture) => void }>();
  private next = 1;
  private statusListeners = new Set<Listener>();
  private newsListeners = new Set<(tables: string[]) => void>();
  private wait = 250;
  private heardAt = performance.now();
  /** How old the last word of the server is, s; 0 while it is fresh. */
  age = 0;
  /** Why the server does not draw what is wished for. */
  refused = "";

  open() {
    if (this.socket) return;
    if (!this.watch) this.watch = window.setInterval(() => this.grow(), 500);
    const at = new URL("/api/live", window.location.href);
    at.protocol = at.protocol.replace("http", "ws");
    const socket = new WebSocket(at);
    socket.binaryType = "arraybuffer";
    this.socket = socket;
    socket.onopen = () => {
      this.connected = true;
      this.wait = 250;
      this.fresh();
      this.tell();
      this.changed();
      // What changed while nobody listened is not known.
      for (const l of this.newsListeners) l(["*"]);
    };
    socket.onmessage = (e) => (typeof e.data === "string" ? this.heard(e.data) : this.drawn(e.data));
    socket.onclose = () => this.lost(socket);
  }

  private watch: number | undefined;

  private lost(socket: WebSocket) {
    if (this.socket !== socket) return;
    this.socket = undefined;
    this.connected = false;
    this.changed();
    window.setTimeout(() => this.open(), this.wait);
    this.wait = Math.min(this.wait * 2, 3000);
  }

  private fresh() {
    this.heardAt = performance.now();
    if (this.age === 0) return;
    this.age = 0;
    this.changed();
  }

  /** A line that hangs says nothing, not even that it is closed. */
  private grow() {
    const s = (performance.now() - this.heardAt) / 1000;
    const age = s > DOUBTFUL ? Math.floor(s) : 0;
    if (age !== this.age) {
      this.age = age;
      this.changed();
    }
    if (s > DEAD && this.socket?.readyState === WebSocket.OPEN) {
      const socket = this.socket;
      socket.close();
      this.lost(socket);
    }
  }

  private waiting = new Map<number, Picture>();
  private frame = 0;

  private heard(text: string) {
    this.fresh();
    const body = JSON.parse(text);
    if (body.changed) {
      for (const l of this.newsListeners) l(body.changed as string[]);
      return;
    }
    if (body.capture) this.status = body as Status;
    else this.refused = String(body.refused ?? "");
    this.changed();
  }

  private drawn(bytes: ArrayBuffer) {
    // Pictures of another campaign's front ends are not drawn under this one's names.
    const shown = shownCampaign();
    if (shown !== undefined && this.status && this.status.campaign !== shown) return;
    const length = new DataView(bytes).getUint32(0, true);
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length)));
    const values = new Float32Array(bytes, Math.ceil((4 + length) / 4) * 4);
    const picture = { ...head, values } as Picture;
    // Only the newest picture of a pane is drawn, and only when the screen takes one: a page that
    // draws slowly shows fewer pictures and still answers keys at once.
    this.waiting.set(picture.kind === "levels" ? 0 : picture.pane, picture);
    if (this.frame) return;
    this.frame = requestAnimationFrame(() => {
      const newest = [...this.waiting];
      this.waiting.clear();
      this.frame = 0;
      for (const [pane, picture] of newest) {
        if (pane === 0) for (const draw of this.levels) draw(picture);
        else this.panes.get(pane)?.draw(picture);
      }
    });
  }

  private changed() {
    for (const l of this.statusListeners) l();
  }

  /** Says what all listeners together want. */
  private tell() {
    const panes = [...this.panes].map(([pane, p]) => ({ pane, ...p.show }));
    const wish = { levels: this.levels.size > 0, campaign: this.campaign ?? null, panes };
    this.refused = "";
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(wish));
  }

  /** Says that another campaign is on the page. */
  shows(campaign: number | undefined) {
    this.campaign = campaign;
    this.tell();
  }

  private campaign: number | undefined;

  onLevels(draw: (p: Picture) => void) {
    this.levels.add(draw);
    this.tell();
    return () => {
      this.levels.delete(draw);
      this.tell();
    };
  }

  onPane(show: Show, draw: (p: Picture) => void) {
    const pane = this.next++;
    this.panes.set(pane, { show, draw });
    this.tell();
    return () => {
      this.panes.delete(pane);
      this.tell();
    };
  }

  /** Calls with the names of tables that have changed; `*` where any may have. */
  onNews(l: (tables: string[]) => void) {
    this.newsListeners.add(l);
    return () => this.newsListeners.delete(l);
  }

  onStatus = (l: Listener) => {
    this.statusListeners.add(l);
    return () => this.statusListeners.delete(l);
  };
}

export const live = new LiveLink();

/** Link, capture and store as the server last told; undefined before the first word. */
export const useStatus = () => useSyncExternalStore(live.onStatus, () => live.status);
/** A word or number of the status; renders only when it changes. */
export const useStatusOf = <T extends string | number | boolean | undefined>(of: (s: Status | undefined) => T) =>
  useSyncExternalStore(live.onStatus, () => of(live.status));
/** Whether a front end is connected. */
export const useHeard = () => useStatusOf((s) => s?.link.link === "connected");
/** How old the status is, s; 0 while it is fresh. */
export const useAge = () => useSyncExternalStore(live.onStatus, () => live.age);
/** Why the server does not draw what this page wishes for. */
export const useRefusedWish = () => useSyncExternalStore(live.onStatus, () => live.refused);
/** Whether the server talks to this page; the first moments, while the page connects, count as if it did. */
export const useConnected = () =>
  useSyncExternalStore(live.onStatus, () => live.connected || (live.status === undefined && live.age < 3));

/** Asks for the pictures of a pane while mounted; `draw` is called for each without rendering anything anew. */
export function usePicture<S extends Show>(show: S | undefined, draw: (p: PictureOf<S["show"]>) => void) {
  const latest = useRef(draw);
  latest.current = draw;
  const key = show && JSON.stringify(show);
  useEffect(() => {
    if (!key) return;
    return live.onPane(JSON.parse(key), (p) => latest.current(p as PictureOf<S["show"]>));
  }, [key]);
}

/** Asks for the levels of all inputs while mounted. */
export function useLevels(draw: (levels: Level[]) => void) {
  const latest = useRef(draw);
  latest.current = draw;
  useEffect(() => live.onLevels((p) => latest.current(levelsOf(p))), []);
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
      circuit: flags & 4 ? "open" : flags & 8 ? "shorted" : "in order",
    };
  });
}
