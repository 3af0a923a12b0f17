import { flushPromises, mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import { type Ref, ref } from "vue";
import { createMemoryHistory, createRouter } from "vue-router";

import { heedLeaving, useInAddress } from "./address";

describe("what is chosen on a page", () => {
  it("is kept in its address, and does not call back whoever leaves the page", async () => {
    let load: (page: { template: string }) => void = () => undefined;
    const slow = () => new Promise<{ template: string }>((resolve) => (load = resolve));
    const routes = [
      { path: "/here", component: { template: "<p />" } },
      { path: "/there", component: slow },
    ];
    const router = createRouter({ history: createMemoryHistory(), routes });
    heedLeaving(router);
    await router.push("/here");
    const chosen: { row: Ref<string> } = { row: ref("") };
    mount(
      { setup: () => void (chosen.row = useInAddress("row")), template: "<p />" },
      { global: { plugins: [router] } },
    );
    chosen.row.value = "1";
    await flushPromises();
    expect(router.currentRoute.value.fullPath).toBe("/here?row=1");
    void router.push("/there");
    await flushPromises();
    chosen.row.value = "2";
    await flushPromises();
    load({ template: "<p />" });
    await flushPromises();
    expect(router.currentRoute.value.fullPath).toBe("/there");
  });
});
