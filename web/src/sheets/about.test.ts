import { VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount } from "@vue/test-utils";
import { afterEach, expect, it, vi } from "vitest";
import { defineComponent, h, ref } from "vue";

import { queryClient } from "@/api/client";
import { router } from "@/router";
import { BERTH } from "@/sendout/example";

import type { About } from "./about";
import WhatAbout from "./WhatAbout.vue";

afterEach(() => {
  vi.unstubAllGlobals();
  queryClient.clear();
});

const fit = { application: "only", record_type: "Berth", plural: "Berths", columns: 2, account: "" };

/** What is said of a sheet where these applications are connected, before anybody says anything. */
async function said(...names: string[]): Promise<About> {
  vi.stubGlobal("fetch", (request: Request) => {
    const { pathname } = new URL(request.url, "http://localhost");
    const applications = names.map((name) => ({ name, label: name, stage: "practice" }));
    const catalogue = { application: applications[0], types: [BERTH], unread: [] };
    return Promise.resolve(Response.json(pathname === "/api/applications" ? applications : catalogue));
  });
  const about = ref<About>({ application: "", recordType: "", operation: "update" });
  const page = defineComponent(
    () => () =>
      h(WhatAbout, {
        known: { trip: null, account: "", fits: [fit] },
        about: about.value,
        onSaid: (now: Partial<About>) => {
          about.value = { ...about.value, ...now };
        },
      }),
  );
  const show = () => mount(page, { global: { plugins: [router, [VueQueryPlugin, { queryClient }]] as never[] } });
  const before = show();
  await vi.waitUntil(() => before.text().includes("PRACTICE") || names.length > 1);
  await flushPromises();
  before.unmount();
  // By now the applications are known before anything is said, as they mostly are.
  about.value = { application: "", recordType: "", operation: "update" };
  const shown = show();
  await flushPromises();
  shown.unmount();
  return about.value;
}

it("says the only application and the likeliest records together", async () => {
  expect(await said("only")).toEqual({ application: "only", recordType: "Berth", operation: "update" });
});

it("leaves it to the person which of several applications is meant", async () => {
  expect(await said("only", "other")).toEqual({ application: "", recordType: "Berth", operation: "update" });
});

it("names the likeliest records before all others are known, so that nothing moves when they come", async () => {
  const waiting: Record<string, (answer: Response) => void> = {};
  vi.stubGlobal("fetch", (request: Request) => {
    const { pathname } = new URL(request.url, "http://localhost");
    return new Promise<Response>((resolve) => (waiting[pathname] = resolve));
  });
  const about = { application: "", recordType: "Berth", operation: "update" };
  const props = { known: { trip: null, account: "", fits: [fit] }, about } as const;
  const plugins = [router, [VueQueryPlugin, { queryClient }]] as never[];
  const shown = mount(WhatAbout, { props: props as never, global: { plugins } });
  await flushPromises();
  expect(shown.find("[data-testid=about]").exists()).toBe(false);
  const applications = ["only", "other"].map((name) => ({ name, label: name, stage: "practice" }));
  waiting["/api/applications"]?.(Response.json(applications));
  await vi.waitUntil(() => shown.find("[data-testid=about]").exists());
  const sentence = () => shown.get("[data-testid=about]").text();
  const first = sentence();
  expect(first).toContain("Berths");
  await vi.waitUntil(() => waiting["/api/applications/only"]);
  waiting["/api/applications/only"]?.(Response.json({ application: applications[0], types: [BERTH], unread: [] }));
  await flushPromises();
  expect(sentence()).toBe(first);
  shown.unmount();
});
