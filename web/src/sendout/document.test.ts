import { VueQueryPlugin } from "@tanstack/vue-query";
import { mount } from "@vue/test-utils";
import { defineComponent } from "vue";
import { describe, expect, it, vi } from "vitest";

import { queryClient } from "@/api/client";

import { useSendOut } from "./document";
import { BERTH, clause, HOLDER } from "./example";
import { usePreview } from "./usePreview";

describe("what is said", () => {
  it("is not what is shown before its text, its rows and its count have come", async () => {
    const waiting: { path: string; answer: (body: object) => void }[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      const path = new URL(request.url).pathname;
      if (path.endsWith("/applications")) return Response.json([{ name: "x", label: "X", stage: "practice" }]);
      if (path.endsWith("/applications/x"))
        return Response.json({ application: { name: "x" }, types: [BERTH, HOLDER] });
      if (path.endsWith("/selection")) return Response.json({ totals: {} });
      return new Promise<Response>((answer) => {
        const name = path.split("/").at(-1) ?? "";
        const give = (body: object): void => {
          answer(Response.json(body));
        };
        waiting.push({ path: name, answer: give });
      });
    });
    queryClient.clear();
    const answered = async (path: string, body: object): Promise<void> => {
      await vi.waitFor(() => {
        expect(waiting.at(-1)?.path).toBe(path);
      });
      waiting.pop()?.answer(body);
    };
    let page: ReturnType<typeof useSendOut> & ReturnType<typeof usePreview>;
    const Page = defineComponent(() => {
      const sendOut = useSendOut();
      page = { ...sendOut, ...usePreview(sendOut) };
      return () => null;
    });
    const shown = mount(Page, { global: { plugins: [[VueQueryPlugin, { queryClient }]] } });
    const isCurrent = (): Promise<void> =>
      vi.waitFor(() => {
        expect(page.current.value).toBe(true);
      });
    await answered("preview", { count: 3, total: 3, rows: [] });
    await isCurrent();
    page!.sentence.value = clause("no", "is", "A");
    expect(page!.current.value).toBe(false);
    await answered("condition", { text: "no eq 'A'" });
    await vi.waitFor(() => {
      expect(page.said.condition).toBe("no eq 'A'");
    });
    expect(page!.current.value).toBe(false);
    await answered("preview", { count: 1, total: 3, rows: [] });
    await isCurrent();
    expect(page!.preview.data.value?.count).toBe(1);
    page!.sentence.value = clause("no", "is", "B");
    await vi.waitFor(() => {
      expect(waiting.at(-1)?.path).toBe("condition");
    });
    page!.text.value = "no eq 'C'";
    waiting.pop()?.answer({ text: "no eq 'B'" });
    await answered("condition", { text: "no eq 'C'", clauses: clause("no", "is", "C") });
    await answered("preview", { count: 0, total: 3, rows: [] });
    await isCurrent();
    expect(page!.said.condition).toBe("no eq 'C'");
    shown.unmount();
    vi.unstubAllGlobals();
  });
});

describe("what is said before anything is known of the application", () => {
  it("is kept once it is, and not said of another type", async () => {
    let known = (): void => undefined;
    vi.stubGlobal("fetch", async (request: Request) => {
      const path = new URL(request.url).pathname;
      if (path.endsWith("/applications")) return Response.json([{ name: "x", label: "X", stage: "practice" }]);
      if (path.endsWith("/applications/x")) {
        await new Promise<void>((go) => (known = go));
        return Response.json({ application: { name: "x" }, types: [BERTH, HOLDER] });
      }
      return Response.json({ text: "no eq 'A'", clauses: clause("no", "is", "A") });
    });
    queryClient.clear();
    let page: ReturnType<typeof useSendOut>;
    const Page = defineComponent(() => {
      page = useSendOut();
      return () => null;
    });
    const shown = mount(Page, { global: { plugins: [[VueQueryPlugin, { queryClient }]] } });
    await vi.waitFor(() => {
      expect(page.application.value).toBe("x");
    });
    page!.text.value = "no eq 'A'";
    page!.said.headers_only = true;
    await vi.waitFor(() => {
      known();
      expect(page.type.value?.name).toBe("Berth");
    });
    await vi.waitFor(() => {
      expect(page.sentence.value).toEqual(clause("no", "is", "A"));
    });
    expect(page!.said).toMatchObject({ record_type: "Berth", condition: "no eq 'A'", headers_only: true });
    expect(page!.said.chosen).toContain("no");
    page!.said.record_type = "Holder";
    await vi.waitFor(() => {
      expect(page.said).toMatchObject({ record_type: "Holder", condition: "", headers_only: false });
    });
    shown.unmount();
    vi.unstubAllGlobals();
  });
});
