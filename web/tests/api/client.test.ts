import { afterEach, beforeAll, expect, test, vi } from "vitest";

const asked: Request[] = [];
let answers: () => Response = () => Response.json({});
const heard: string[] = [];
vi.stubGlobal("window", { dispatchEvent: (e: Event) => heard.push(e.type) });
vi.stubGlobal("fetch", async (r: Request) => {
  asked.push(r);
  return answers();
});

type Client = typeof import("../../src/api/client");
let client: Client;
beforeAll(async () => {
  client = await import("../../src/api/client");
});
afterEach(() => {
  asked.length = 0;
  heard.length = 0;
});

const runs = () =>
  client.told(client.api.GET("/api/campaigns/{id}/runs", { baseUrl: "http://here", params: { path: { id: 4 } } }));

test("an answer is its data", async () => {
  answers = () => Response.json([{ id: 1 }]);
  expect(await runs()).toEqual([{ id: 1 }]);
  expect(asked[0]?.url).toBe("http://here/api/campaigns/4/runs");
});

test("a refusal is its sentence, its field and whether somebody was faster", async () => {
  answers = () => Response.json({ says: "somebody changed it meanwhile", field: "made_on" }, { status: 409 });
  const refused = await runs().catch((e) => e);
  expect(refused).toBeInstanceOf(client.Refused);
  expect([refused.message, refused.field, refused.conflict]).toEqual([
    "somebody changed it meanwhile",
    "made_on",
    true,
  ]);
  answers = () => new Response("<html>", { status: 502 });
  const proxy = await runs().catch((e) => e);
  expect([proxy.message, proxy.field, proxy.conflict]).toEqual(["The server answered 502.", undefined, false]);
});

test("a server that is away says that nothing is lost", async () => {
  answers = () => {
    throw new TypeError("fetch failed");
  };
  const away = await runs().catch((e) => e);
  expect(away.message).toContain("does not answer");
  expect(away.message).toContain("is safe there");
  expect(away.status).toBeUndefined();
});

test("whoever is signed out hears of it, and the campaign on the screen goes along", async () => {
  answers = () => Response.json({ says: "sign in first" }, { status: 401 });
  client.showing(7);
  await runs().catch(() => undefined);
  expect(heard).toEqual([client.SIGNED_OUT]);
  expect(asked[0]?.headers.get("x-campaign")).toBe("7");
  client.showing(undefined);
  answers = () => Response.json([]);
  await runs();
  expect(asked[1]?.headers.get("x-campaign")).toBeNull();
});

test("data come with the version they are of", async () => {
  answers = () => Response.json({ name: "bracket" }, { headers: { "x-version": "12" } });
  const plan = client.api.GET("/api/campaigns/{id}/plan", { baseUrl: "http://here", params: { path: { id: 4 } } });
  expect(await client.toldVersion(plan as never)).toEqual({ data: { name: "bracket" }, version: 12 });
});
