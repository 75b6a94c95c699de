/** Orders to the capture engine, and what its state is called. */
import { api, type Status, told } from "../api/client";

export type Order = "arm" | "record" | "stop";

export const orders = {
  arm: () => told(api.POST("/api/capture/arm")),
  record: () => told(api.POST("/api/capture/record")),
  stop: () => told(api.POST("/api/capture/stop")),
  resetLevels: (input?: number) =>
    told(api.POST("/api/capture/levels/reset", { params: { query: input === undefined ? {} : { input } } })),
  emergencyStop: () => told(api.POST("/api/emergency-stop")),
  connect: (address: string | null) => told(api.PUT("/api/capture/front-end", { body: { address } })),
};

/** Orders that concern one recorder, or this moment. */
export const ordersNow = {
  recorder: (recorder: string, go: boolean) => told(api.POST("/api/capture/recorder", { body: { recorder, go } })),
  mark: (says: string) => told(api.POST("/api/capture/mark", { body: { says } })),
};

export type CaptureName = "idle" | "armed" | "recording" | "writing";

export const captureName = (s: Status | undefined): CaptureName => s?.capture.state ?? "idle";

/** Shape, word and colour of a state: never colour alone. */
export const stateLook: Record<CaptureName, { shape: string; word: string; colour: string }> = {
  idle: { shape: "○", word: "Idle", colour: "text-ink" },
  armed: { shape: "◔", word: "Armed", colour: "text-buoy" },
  recording: { shape: "●", word: "Recording", colour: "text-buoy" },
  writing: { shape: "◑", word: "Writing", colour: "text-ink" },
};

/** What is waited for, or how far it is. */
export function sessionOf(s: Status | undefined) {
  const c = s?.capture;
  return c && c.state !== "idle" ? c : undefined;
}

/** The progress of a recording, or of its writing. */
export function progressOf(s: Status | undefined) {
  const c = s?.capture;
  return c && (c.state === "recording" || c.state === "writing") ? c : undefined;
}
