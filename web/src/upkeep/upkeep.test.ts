import { VueQueryPlugin } from "@tanstack/vue-query";
import { mount } from "@vue/test-utils";
import { describe, expect, it, vi } from "vitest";

import { queryClient, type Schemas } from "@/api/client";

import KeepForm from "./KeepForm.vue";

const KEPT: Schemas["Upkeep"] = {
  keep: { trips: 365, receipts: 0, copies: 90, uploads: 30, journal: 0 },
  idle_minutes: 720,
  room: [],
  free: 5_000,
  over: [],
  receipts: [],
  thinned_at: null,
};

describe("how long things are kept", () => {
  it("stays as it is being typed while the room on the disk changes, and is anew what another has kept", async () => {
    vi.stubGlobal("fetch", async () => Response.json([]));
    queryClient.clear();
    queryClient.setQueryData(["upkeep"], KEPT);
    const seen = (): Schemas["Upkeep"] => queryClient.getQueryData(["upkeep"]) ?? KEPT;
    const form = mount(KeepForm, {
      props: { upkeep: seen() },
      global: { plugins: [[VueQueryPlugin, { queryClient }]] },
    });
    const trips = form.find<HTMLInputElement>("#keep-trips");
    await trips.setValue(100);
    queryClient.setQueryData(["upkeep"], { ...structuredClone(KEPT), free: 4_000 });
    await form.setProps({ upkeep: seen() });
    expect(trips.element.value).toBe("100");
    queryClient.setQueryData(["upkeep"], { ...structuredClone(KEPT), keep: { ...KEPT.keep, trips: 50 } });
    await form.setProps({ upkeep: seen() });
    expect(trips.element.value).toBe("50");
    form.unmount();
    vi.unstubAllGlobals();
  });
});
