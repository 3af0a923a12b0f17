/** Files that the server gives are saved by the page: a link that fails would leave it to the browser to say so. */
import { getFile, Problem } from "@/api/client";

import { say, sayError } from "./notices";

const LONG_MS = 700;
/** A browser has taken over a file by then. */
const TAKEN_MS = 60_000;

/** What a file is to be called (RFC 6266); empty where nothing is said. */
export function nameOf(disposition: string): string {
  const encoded = /filename\*=utf-8''([^;]+)/i.exec(disposition)?.[1];
  if (encoded) return decodeURIComponent(encoded);
  return /filename="((?:[^"\\]|\\.)*)"/.exec(disposition)?.[1]?.replace(/\\(.)/g, "$1") ?? "";
}

async function save(address: string): Promise<void> {
  const response = await getFile(address);
  const file = await response.blob().catch(() => {
    throw new Problem(0, "The file broke off before its end, and was not saved. Try again.");
  });
  const link = document.createElement("a");
  link.href = URL.createObjectURL(file);
  link.download = nameOf(response.headers.get("Content-Disposition") ?? "");
  link.click();
  setTimeout(() => {
    URL.revokeObjectURL(link.href);
  }, TAKEN_MS);
}

/** Save a file; where there is none, it is said why. Whether it was saved. */
export async function download(address: string): Promise<boolean> {
  const waiting = setTimeout(() => {
    say("The file is on its way; it is saved when it is here.");
  }, LONG_MS);
  try {
    await save(address);
    return true;
  } catch (error) {
    sayError(error);
    return false;
  } finally {
    clearTimeout(waiting);
  }
}

/** Take over a click on a link to one of the server's files, unless it is to open elsewhere. */
export function onLink(event: MouseEvent): void {
  const link = event.target instanceof Element ? event.target.closest<HTMLAnchorElement>("a[download]") : null;
  const plain = event.button === 0 && !event.ctrlKey && !event.metaKey && !event.shiftKey && !event.altKey;
  const path = link?.getAttribute("href") ?? "";
  if (!plain || !path.startsWith("/api/")) return;
  event.preventDefault();
  void download(path);
}
