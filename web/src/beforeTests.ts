/** Before the tests of a file: nothing is known from those of another, and a condition is waited for as long as a test
 * may take, since a machine may be slow. */
import { beforeAll, vi } from "vitest";

import { queryClient } from "./api/client";

beforeAll(() => {
  queryClient.clear();
});

const PATIENCE = { timeout: 100_000 };
const { waitFor, waitUntil } = vi;
vi.waitFor = (condition, options) =>
  waitFor(condition, typeof options === "number" ? options : { ...PATIENCE, ...options });
vi.waitUntil = (condition, options) =>
  waitUntil(condition, typeof options === "number" ? options : { ...PATIENCE, ...options });
