import { VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";

import { queryClient } from "@/api/client";
import { router } from "@/router";
import { trip } from "@/trip/example";

import FindDialog from "./FindDialog.vue";

afterEach(() => {
  vi.unstubAllGlobals();
  queryClient.clear();
  document.body.innerHTML = "";
});

describe("finding", () => {
  const newest = Array.from({ length: 15 }, (_, at) => trip({ id: 90 + at, title: `Letter ${at + 10}` }));
  const old = trip({ id: 7, title: "Letter 1" });

  function serve(total: number): string[] {
    const asked: string[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      const address = new URL(request.url, "http://localhost");
      if (address.pathname !== "/api/trips") return Promise.resolve(Response.json([]));
      const text = address.searchParams.get("text");
      if (text) asked.push(text);
      return Promise.resolve(Response.json(text ? [old] : newest, { headers: { "Vexo-Total": String(total) } }));
    });
    return asked;
  }

  const said = (): string => document.querySelector("[role=listbox]")?.textContent ?? "";
  const names = () => [...document.querySelectorAll("[role=option]")].map((one) => one.textContent ?? "");

  async function typed(text: string, until: () => boolean): Promise<string[]> {
    const dialog = mount(FindDialog, {
      props: { open: true },
      global: { plugins: [router, [VueQueryPlugin, { queryClient }]] as never[] },
      attachTo: document.body,
    });
    await flushPromises();
    const input = document.querySelector("input")!;
    input.value = text;
    input.dispatchEvent(new Event("input"));
    await vi.waitUntil(until);
    const shown = names();
    dialog.unmount();
    return shown;
  }

  it("looks through trips that are not listed, and puts what is called so first", async () => {
    const asked = serve(1206);
    const shown = await typed("letter 1", () => names()[0]?.includes("7 ·") ?? false);
    expect(asked).toEqual(["letter 1"]);
    expect(shown).toHaveLength(12);
    expect(shown[0]).toContain("Letter 1");
  });

  it("says how many more there are than it shows, and finds by what the server finds by", async () => {
    serve(1206);
    let more = "";
    await typed("berth", () => (more = said()).includes("1,194"));
    expect(more).toContain("1,194 more are found");
  });

  it("takes capitals and accents as they are read", async () => {
    serve(newest.length);
    newest[3] = trip({ id: 93, title: "U\u0308bergabe" });
    expect(await typed("\u00fcbergabe", () => names().length === 1)).toHaveLength(1);
  });

  it("asks for no others where all are listed", async () => {
    const asked = serve(newest.length);
    expect(await typed("letter 11", () => names().length === 1)).toHaveLength(1);
    expect(asked).toEqual([]);
  });
});
