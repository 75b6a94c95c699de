import { afterEach, expect, test, vi } from "vitest";
import { showing } from "../../src/api/client";
import { send } from "../../src/bring/send";

/** A request that does what a test tells it. */
class Asked {
  static last: Asked;
  upload: { onprogress?: (e: { total: number; loaded: number }) => void } = {};
  onload?: () => void;
  onerror?: () => void;
  onabort?: () => void;
  status = 0;
  responseText = "";
  heads: Record<string, string> = {};
  address = "";
  constructor() {
    Asked.last = this;
  }
  open(_: string, address: string) {
    this.address = address;
  }
  setRequestHeader(name: string, value: string) {
    this.heads[name] = value;
  }
  send() {}
  abort() {
    this.onabort?.();
  }
  answer(status: number, text: string) {
    this.status = status;
    this.responseText = text;
    this.onload?.();
  }
}

const file = { name: "ramp “laut” 7.csv" } as File;
const sending = (told: (share: number) => void = () => undefined) => {
  vi.stubGlobal("XMLHttpRequest", Asked);
  return send(file, told);
};
afterEach(() => {
  showing(undefined);
  vi.unstubAllGlobals();
});

test("a file is sent under its name, for the campaign that is on the screen, with its progress", async () => {
  showing(3);
  const shares: number[] = [];
  const s = sending((x) => shares.push(x));
  expect(Asked.last.address).toBe(`/api/files?name=${encodeURIComponent(file.name)}`);
  expect(Asked.last.heads["x-campaign"]).toBe("3");
  Asked.last.upload.onprogress?.({ total: 200, loaded: 50 });
  Asked.last.upload.onprogress?.({ total: 0, loaded: 0 });
  Asked.last.answer(200, '{"id": 9, "file": "x", "bytes": 4, "sha256": ""}');
  expect((await s.done).id).toBe(9);
  expect(shares).toEqual([0.25, 0]);
});

test("what went wrong is a sentence", async () => {
  const full = sending();
  Asked.last.answer(409, '{"says": "the disk is nearly full"}');
  await expect(full.done).rejects.toThrow("the disk is nearly full");
  const odd = sending();
  Asked.last.answer(500, "<html>");
  await expect(odd.done).rejects.toThrow("The server answered 500.");
  const gone = sending();
  Asked.last.onerror?.();
  await expect(gone.done).rejects.toThrow("the server does not answer");
  const stopped = sending();
  stopped.stop();
  await expect(stopped.done).rejects.toThrow("stopped");
});
