/** What goes wrong in the page itself is said on it: nobody looks at a browser's console. */
import { CancelledError } from "@tanstack/vue-query";
import type { App } from "vue";
import type { Router } from "vue-router";

import { Problem } from "@/api/client";

import { say, sayError } from "./notices";

const MISTAKE = "Something on this page went wrong. Load it anew; what was written down is not lost.";
const MISSING = "A part of this page could not be loaded. Load it anew; if that does not help, tell whoever runs Vexo.";
/** Where it is kept which address was loaded anew, and when. */
const ANEW = "vexo.loaded-anew";
/** A part that is missing again so soon is missing on the server. */
const AGAIN_MS = 60_000;

const openAnew = (path: string): void => {
  window.location.assign(path);
};

function wasLoadedAnew(path: string): boolean {
  const [at, before] = JSON.parse(sessionStorage.getItem(ANEW) ?? "[0]") as [number, string?];
  return before === path && Date.now() - at < AGAIN_MS;
}

/**
 * Heed the mistakes of a page. Parts that it loads late are gone where a newer release has taken the place of its own:
 * it is loaded anew, once, where the person was going.
 */
export function heedMistakes(app: App, router: Router, open = openAnew): void {
  const told = new Set<string>();
  const missing = new WeakSet();
  let to = "";
  const tell = (error: unknown): void => {
    // Whoever signs out waits for no answer any more.
    if (error instanceof CancelledError) return;
    if (error instanceof Problem) sayError(error);
    else if (!(error instanceof Error && missing.has(error))) {
      console.error(error);
      if (told.has(String(error))) return;
      told.add(String(error));
      say(MISTAKE, true);
    }
  };
  app.config.errorHandler = tell;
  window.addEventListener("unhandledrejection", (event) => {
    tell(event.reason);
  });
  router.beforeEach((next) => {
    to = next.fullPath;
  });
  window.addEventListener("vite:preloadError", ({ payload }) => {
    missing.add(payload);
    if (wasLoadedAnew(to)) {
      say(MISSING, true);
      return;
    }
    sessionStorage.setItem(ANEW, JSON.stringify([Date.now(), to]));
    open(to);
  });
}
