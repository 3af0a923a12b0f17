import { afterEach, expect, it, vi } from "vitest";

import { nameOf, onLink } from "./download";
import { notices } from "./notices";

afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
  notices.splice(0);
});

it("reads what a file is to be called", () => {
  expect(nameOf('attachment; filename="trip-4-plan.xlsx"')).toBe("trip-4-plan.xlsx");
  expect(nameOf("attachment; filename*=utf-8''L%C3%A5n%20%C3%98.csv")).toBe("Lån Ø.csv");
  expect(nameOf('attachment; filename="a \\"b\\" c.csv"')).toBe('a "b" c.csv');
  expect(nameOf("inline")).toBe("");
});

/** A click on a link, where this is answered: what was saved, and whether the browser was left to it. */
async function clicked(href: string, answer: () => Promise<Response> | Response, click: MouseEventInit = {}) {
  const saved: string[] = [];
  vi.stubGlobal("fetch", () => Promise.resolve(answer()));
  vi.spyOn(URL, "createObjectURL").mockReturnValue("blob:x");
  vi.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(function (this: HTMLAnchorElement) {
    saved.push(this.download);
  });
  document.body.innerHTML = `<a href="${href}" download><b>Download</b></a>`;
  document.addEventListener("click", onLink, { once: true });
  let left = true;
  const end = (event: Event): void => {
    left = !event.defaultPrevented;
    // No browser is there to follow a link.
    event.preventDefault();
  };
  window.addEventListener("click", end, { once: true });
  const event = new MouseEvent("click", { bubbles: true, cancelable: true, ...click });
  document.querySelector("b")!.dispatchEvent(event);
  if (!left) await vi.waitUntil(() => saved.length || notices.length);
  return { saved, left, told: notices.map((one) => [one.text, one.bad]) };
}
const file = (name: string) =>
  new Response("a;b", { headers: { "Content-Disposition": `attachment; filename="${name}"` } });

it("saves a file of the server under its name", async () => {
  expect(await clicked("/api/x", () => file("x.csv"))).toEqual({ saved: ["x.csv"], left: false, told: [] });
});

it("says why there is none, in the server's own words", async () => {
  const gone = "The file of sheet 3 is lost.";
  const refused = () => Response.json({ status: 422, title: "x", detail: gone }, { status: 422 });
  expect(await clicked("/api/x", refused)).toEqual({ saved: [], left: false, told: [[gone, true]] });
});

it("saves no half of a file", async () => {
  const broken = new ReadableStream({
    start: (stream) => {
      stream.error(new TypeError("cut"));
    },
  });
  const { saved, told } = await clicked("/api/x", () => new Response(broken));
  expect(saved).toEqual([]);
  expect(told[0]?.[0]).toContain("broke off");
});

it("leaves other links, and clicks that are to open elsewhere, to the browser", async () => {
  expect((await clicked("https://example.org/x", () => file("x"))).left).toBe(true);
  expect((await clicked("/api/x", () => file("x"), { ctrlKey: true })).left).toBe(true);
  expect((await clicked("/api/x", () => file("x"), { button: 1 })).left).toBe(true);
});
