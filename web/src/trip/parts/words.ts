/** What is said of a part. */
import type { Part } from "@/api/client";
import { many, when } from "@/parts/format";

/** How it came back, in words. */
export function came(part: Part): string {
  if (!part.came || !part.back_at) return "out, not back yet";
  const times = part.came > 1 ? `, came back ${many(part.came, "time", "times")}` : "";
  return `back ${when(part.back_at)}${times}`;
}

/** How many parts are back, and how many are in. */
export function parted(parts: readonly Part[]): string {
  const back = parts.filter((part) => part.state !== "out").length;
  const written = parts.filter((part) => part.state === "in").length;
  return `${back} of ${parts.length} parts back, ${written} written`;
}
