import { VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h, reactive } from "vue";

import { queryClient } from "@/api/client";

import { type Asked, type RowWindow, useWindow } from "./useWindow";

const asked = reactive<Asked>({ trip: 7, view: "review", state: "", column: "", text: "", order: "", version: "1" });
let requests: URL[] = [];
let close: () => void = () => {};
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
});
afterEach(() => {
  close();
  queryClient.clear();
  vi.unstubAllGlobals();
});

const opened = (): RowWindow => {
  let window: RowWindow | undefined;
  const page = mount(
    defineComponent(() => {
      window = useWindow(() => ({ ...asked }));
      return () => h("div");
    }),
    { global: { plugins: [[VueQueryPlugin, { queryClient }]] } },
  );
  close = () => {
    page.unmount();
  };
  return window!;
};

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

  it("keeps the rows that are shown until those of another question come, and the way back asks nothing", async () => {
    const window = opened();
    await flushPromises();
    let come: (response: Response) => void = () => {};
    answer = () => new Promise((resolve) => (come = resolve));
    asked.state = "held";
    await flushPromises();
    expect(requests.at(-1)?.searchParams.get("state")).toBe("held");
    expect([window.rowAt(0)?.row, window.total.value, window.ready.value]).toEqual([2, 1000, false]);
    come(Response.json({ total: 1, offset: 0, rows: [{ row: 19, cells: [] }] }));
    await flushPromises();
    expect([window.rowAt(0)?.row, window.total.value, window.ready.value]).toEqual([19, 1, true]);
    const before = requests.length;
    asked.state = "";
    await flushPromises();
    expect([window.rowAt(0)?.row, window.total.value]).toEqual([2, 1000]);
    expect(requests).toHaveLength(before);
  });

  it("tells an error as an error, and asks again when that is wanted", async () => {
    answer = () => Response.json({ detail: "The plan's file is lost. Plan again." }, { status: 422 });
    const window = opened();
    await flushPromises();
    expect(window.error.value?.message).toBe("The plan's file is lost. Plan again.");
    expect(window.ready.value).toBe(true);
    answer = rows;
    window.again();
    await flushPromises();
    expect(window.error.value).toBeNull();
    expect(window.rowAt(3)?.row).toBe(5);
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
