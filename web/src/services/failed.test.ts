import { QueryClient, useQuery, VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount } from "@vue/test-utils";
import { expect, it, vi } from "vitest";
import { defineComponent, h, ref } from "vue";

import { Problem } from "@/api/client";

import { useFailed } from "./failed";

/** A page that asks once, and the note above it. */
function page(failing: { with?: unknown }, meta?: Record<string, unknown>, retry = 0) {
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry, retryDelay: 1 } } });
  const shown = ref(true);
  const asks = defineComponent(() => {
    const { data } = useQuery({
      queryKey: ["asked"],
      // eslint-disable-next-line @typescript-eslint/prefer-promise-reject-errors
      queryFn: () => (failing.with ? Promise.reject(failing.with) : Promise.resolve("here")),
      meta,
    });
    return () => h("i", data.value);
  });
  const notes = defineComponent(() => {
    const { says, again } = useFailed();
    return () => [h("p", { onClick: again }, says.value), shown.value ? h(asks) : null];
  });
  const mounted = mount(notes, { global: { plugins: [[VueQueryPlugin, { queryClient }]] as never[] } });
  return { says: () => mounted.get("p").text(), again: () => mounted.get("p").trigger("click"), shown };
}

const full = new Problem(503, "The disk is full.", undefined, "machine");

it("tells why something could not be read, until it is", async () => {
  const failing: { with?: unknown } = { with: full };
  const { says, again } = page(failing);
  await vi.waitUntil(() => says() === "The disk is full.");
  failing.with = undefined;
  await again();
  await vi.waitUntil(() => says() === "");
});

it("tells of a machine in trouble while it is asked again, and of nothing else that is", async () => {
  const failing: { with?: unknown } = { with: full };
  const { says } = page(failing, undefined, 1_000_000);
  await vi.waitUntil(() => says() === "The disk is full.");
  failing.with = undefined;
  await vi.waitUntil(() => says() === "");
  failing.with = new Problem(422, "It is slow.", undefined, "slow");
  const slow = page(failing, undefined, 20);
  const said = new Set<string>();
  await vi.waitUntil(() => {
    said.add(slow.says());
    return slow.says() !== "";
  });
  expect(said).toEqual(new Set(["", "It is slow."]));
});

it("is silent about what is told in its own place, of nobody who is signed in, and of pages that are left", async () => {
  for (const [error, meta] of [
    [full, { told: true }],
    [new Problem(404, "Not there."), { told: 404 }],
    [new Problem(422, "It waits no more.", undefined, "no-upload"), { told: "no-upload" }],
    [new Problem(401, "You are not signed in."), undefined],
  ] as const) {
    const { says } = page({ with: error }, meta);
    await flushPromises();
    expect(says()).toBe("");
  }
  const left = page({ with: full });
  await vi.waitUntil(() => left.says() !== "");
  left.shown.value = false;
  await vi.waitUntil(() => left.says() === "");
});

it("tells of another error than the one that has its own place, and of one that is no problem", async () => {
  const other = page({ with: full }, { told: 404 });
  await vi.waitUntil(() => other.says() === "The disk is full.");
  const mistake = page({ with: new TypeError("x is undefined") });
  await vi.waitUntil(() => mistake.says() === "x is undefined");
});
