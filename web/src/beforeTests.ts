/** Before the tests of a file: nothing is known from those of another, and a condition is waited for as long as a test
 * may take, since a machine may be slow. */
import { enableAutoUnmount } from "@vue/test-utils";
import { afterEach, beforeAll, vi } from "vitest";

import { queryClient } from "./api/client";
import { notices } from "./services/notices";

/** Files share their modules, and what is mounted can be said to be unmounted once only. */
const shared = globalThis as { unmountAll?: () => void };
if (!shared.unmountAll) {
  enableAutoUnmount((unmountAll) => {
    shared.unmountAll = unmountAll;
  });
}

beforeAll(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
  queryClient.clear();
  notices.splice(0);
  sessionStorage.clear();
  localStorage.clear();
  document.body.innerHTML = "";
});
afterEach(() => {
  shared.unmountAll?.();
});

const PATIENCE = { timeout: 100_000 };
const { waitFor, waitUntil } = vi;
vi.waitFor = (condition, options) =>
  waitFor(condition, typeof options === "number" ? options : { ...PATIENCE, ...options });
vi.waitUntil = (condition, options) =>
  waitUntil(condition, typeof options === "number" ? options : { ...PATIENCE, ...options });
