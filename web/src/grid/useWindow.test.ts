import { flushPromises } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { effectScope, type EffectScope, reactive } from "vue";

import { useWindow } from "./useWindow";

const asked = reactive({ trip: 7, view: "review", state: "", column: "", text: "", version: "1" });
let requests: URL[] = [];
let scope: EffectScope;
let answer: (url: URL) => Response | Promise<Response>;

const rows = (url: URL): Response => {
  const offset = Number(url.searchParams.get("offset"));
  const limit = Number(url.searchParams.get("limit"));
  const list = Array.from({ length: limit }, (_, at) => ({ row: offset + at + 2, cells: [] }));
  return Response.json({ total: 1000, offset, rows: list });
};

beforeEach(() => {
  requests = [];
  answer = rows;
  Object.assign(asked, { trip: 7, state: "", version: "1" });
  vi.stubGlobal("fetch", (request: Request) => {
    const url = new URL(request.url, "http://localhost");
    requests.push(url);
    return Promise.resolve(answer(url));
  });
  scope = effectScope();
});
afterEach(() => {
  scope.stop();
  vi.unstubAllGlobals();
});

const opened = () => scope.run(() => useWindow(() => ({ ...asked })))!;

describe("a window of rows", () => {
  it("asks for the first block at once, and for each other block once", async () => {
    const window = opened();
    await flushPromises();
    expect(window.total.value).toBe(1000);
    expect(window.rowAt(0)?.row).toBe(2);
    window.want(500, 530);
    window.want(505, 535);
    await flushPromises();
    expect(window.rowAt(510)?.row).toBe(512);
    const offsets = requests.map((url) => Number(url.searchParams.get("offset")));
    expect(new Set(offsets).size).toBe(offsets.length);
  });

  it("forgets the rows when the question changes", async () => {
    const window = opened();
    await flushPromises();
    asked.state = "held";
    await flushPromises();
    expect(requests.at(-1)?.searchParams.get("state")).toBe("held");
    expect(window.rowAt(0)?.row).toBe(2);
  });

  it("does not take an answer to an older question", async () => {
    let late: (response: Response) => void = () => {};
    answer = (url) =>
      url.searchParams.get("state") === "slow" ? new Promise((resolve) => (late = resolve)) : rows(url);
    asked.state = "slow";
    const window = opened();
    await flushPromises();
    asked.state = "";
    await flushPromises();
    late(Response.json({ total: 1, offset: 0, rows: [{ row: 99, cells: [] }] }));
    await flushPromises();
    expect(window.total.value).toBe(1000);
    expect(window.rowAt(0)?.row).toBe(2);
  });

  it("asks for nothing where there is nothing to ask about", async () => {
    asked.trip = 0;
    opened();
    await flushPromises();
    expect(requests).toEqual([]);
  });

  it("asks again when the server was lost", async () => {
    vi.useFakeTimers();
    answer = () => Promise.reject(new TypeError("no network"));
    const window = opened();
    await vi.advanceTimersByTimeAsync(10);
    expect(window.ready.value).toBe(false);
    answer = rows;
    await vi.advanceTimersByTimeAsync(2000);
    expect(window.rowAt(0)?.row).toBe(2);
    vi.useRealTimers();
  });
});
