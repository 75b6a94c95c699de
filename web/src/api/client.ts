/** Typed calls of the HTTP API; an error is a sentence, and the field it is about. */
import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type Schema = components["schemas"];
export type Channel = Schema["ChannelRow"];
export type Cell = Schema["Cell"];
export type EditRequest = Schema["EditRequest"];
export type EditAnswer = Schema["EditAnswer"];
export type Sensor = Schema["SensorBody"];
export type SmartSensor = Schema["SmartSensor"];
export type Unit = Schema["UnitStatus"];
export type TestBody = Schema["TestBody"];
export type Fit = Schema["Fit"];
export type Pair = Schema["Pair"];
export type RigBody = Schema["RigBody"];
export type PlanBody = Schema["PlanBody"];
export type Plan = Schema["Plan"];
export type Status = Schema["StatusBody"];
export type RunBody = Schema["RunBody"];
export type RunDetail = Schema["RunDetail"];
export type Analysis = Schema["Analysis"];
export type Caution = Schema["Caution"];
export type ReportBody = Schema["ReportBody"];

/** An answer that is an error. */
export class Refused extends Error {
  field: string | undefined;
  status: number | undefined;
  constructor(says: string, field?: string | null, status?: number) {
    super(says);
    this.field = field ?? undefined;
    this.status = status;
  }
  /** Somebody else was faster. */
  get conflict() {
    return this.status === 409;
  }
}

export const api = createClient<paths>({ baseUrl: "" });

/** Told on the window when the server asks to sign in. */
export const SIGNED_OUT = "signed-out";

let shown: number | undefined;
/** Says which campaign is on the screen: the server changes no other one for this page. */
export const showing = (campaign: number | undefined) => {
  shown = campaign;
};
/** The campaign that is on the screen. */
export const shownCampaign = () => shown;
api.use({
  onRequest({ request }) {
    if (shown !== undefined) request.headers.set("x-campaign", String(shown));
    return request;
  },
  onResponse({ response }) {
    if (response.status === 401) window.dispatchEvent(new Event(SIGNED_OUT));
  },
});

/** What a call needs to send a file's bytes as they are. */
export const bytesOf = (file: Blob) => ({
  // The description knows bytes as a list of numbers.
  body: file as unknown as number[],
  bodySerializer: (b: unknown) => b as Blob,
  headers: { "content-type": "application/octet-stream" },
});

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer; throws its sentence otherwise. */
export async function told<T>(answer: Promise<Answer<T>>): Promise<T> {
  let a: Answer<T>;
  try {
    a = await answer;
  } catch {
    throw new Refused("The server does not answer. What is recorded is safe there; start it again if it stopped.");
  }
  if (a.error !== undefined || !a.response.ok) {
    const e = a.error as { says?: string; field?: string | null } | undefined;
    throw new Refused(e?.says ?? `The server answered ${a.response.status}.`, e?.field, a.response.status);
  }
  return a.data as T;
}

/** Data with their version: a change of them tells which it was made on, and is refused where somebody was faster. */
export type Versioned<T> = { data: T; version: number };

export async function toldVersion<T>(answer: Promise<Answer<T>>): Promise<Versioned<T>> {
  const data = await told(answer);
  const { response } = await answer;
  return { data, version: Number(response.headers.get("x-version") ?? 0) };
}
