import { CancelledError } from "@tanstack/vue-query";
import { afterEach, expect, it, vi } from "vitest";
import { createApp, defineComponent } from "vue";
import { createMemoryHistory, createRouter } from "vue-router";

import { Problem } from "@/api/client";

import { heedMistakes } from "./mistakes";
import { notices } from "./notices";

const Blank = defineComponent(() => () => null);

/** A page whose mistakes are heeded, with where it was loaded anew. */
function heeded(page = Blank) {
  const opened: string[] = [];
  const router = createRouter({ history: createMemoryHistory(), routes: [{ path: "/:all(.*)", component: Blank }] });
  const app = createApp(page);
  const listen = vi.spyOn(window, "addEventListener");
  heedMistakes(app, router, (path) => opened.push(path));
  const heard = Object.fromEntries(listen.mock.calls.map(([name, call]) => [name, call as (event: unknown) => void]));
  listen.mockRestore();
  return { app, router, opened, heard };
}

afterEach(() => {
  notices.splice(0);
  sessionStorage.clear();
  vi.restoreAllMocks();
});

it("tells of a mistake once, in the console as well, and of what the server says in its words", () => {
  const logged = vi.spyOn(console, "error").mockReturnValue();
  const { app, heard } = heeded();
  const tell = app.config.errorHandler!;
  tell(new TypeError("x is undefined"), null, "");
  tell(new TypeError("x is undefined"), null, "");
  expect(notices.map((one) => one.text)).toEqual([expect.stringContaining("Something on this page went wrong")]);
  expect(logged).toHaveBeenCalledTimes(2);
  heard.unhandledrejection?.({ reason: new Problem(422, "Row 3 is gone.") });
  expect(notices.at(-1)?.text).toBe("Row 3 is gone.");
  heard.unhandledrejection?.({ reason: new CancelledError() });
  expect(notices).toHaveLength(2);
});

it("heeds what a component throws", () => {
  vi.spyOn(console, "error").mockReturnValue();
  const { app } = heeded(
    defineComponent(() => () => {
      throw new Error("broken");
    }),
  );
  app.mount(document.createElement("div"));
  expect(notices).toHaveLength(1);
});

it("is loaded anew where the person was going, once for each place, when its parts are there no more", async () => {
  const { router, opened, heard } = heeded();
  const gone = new TypeError("Failed to fetch dynamically imported module");
  await router.push("/routes?x=1");
  heard["vite:preloadError"]?.({ payload: gone });
  heard.unhandledrejection?.({ reason: gone });
  expect([opened, notices.length]).toEqual([["/routes?x=1"], 0]);
  heard["vite:preloadError"]?.({ payload: gone });
  expect(opened).toHaveLength(1);
  expect(notices.map((one) => one.text)).toEqual([expect.stringContaining("could not be loaded")]);
  await router.push("/journal");
  heard["vite:preloadError"]?.({ payload: gone });
  expect(opened).toEqual(["/routes?x=1", "/journal"]);
  vi.setSystemTime(Date.now() + 120_000);
  heard["vite:preloadError"]?.({ payload: gone });
  expect(opened).toHaveLength(3);
  vi.useRealTimers();
});
