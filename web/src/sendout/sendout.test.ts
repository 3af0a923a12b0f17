import { VueQueryPlugin } from "@tanstack/vue-query";
import { mount } from "@vue/test-utils";
import { defineComponent, h, ref } from "vue";
import { describe, expect, it, vi } from "vitest";

import { api, data, queryClient } from "@/api/client";
import { BERTH, clause, HOLDER } from "./example";
import { lookedAt, withPart } from "@/api/part";

import ClausePart from "@/conditions/ClausePart.vue";
import { asGroup, finished, type Group, type Part, partOf, usual, whole } from "@/conditions/conditions";
import FieldList from "./FieldList.vue";
import { LOOKED_FOR } from "@/conditions/useCondition";
import { noteOf, offered } from "@/conditions/fields";
import OrderPart from "./OrderPart.vue";

const FIELDS = offered(BERTH, [BERTH, HOLDER]);

describe("fields of a sheet", () => {
  const list = (chosen: string[]) =>
    mount(FieldList, {
      props: {
        modelValue: chosen,
        type: BERTH,
        fixed: new Set(["id", "no"]),
        fields: FIELDS,
        "onUpdate:modelValue": (now: string[]) => void shown.setProps({ modelValue: now }),
      },
    });
  let shown: ReturnType<typeof list>;

  it("are added, moved with the keys, and left out; keys stay in", async () => {
    shown = list(["id", "no", "rate"]);
    await shown.find('ul [title="status"]').trigger("click");
    expect(shown.props("modelValue")).toEqual(["id", "no", "rate", "status"]);
    await shown.find('[data-field="3"]').trigger("keydown", { key: "ArrowUp", altKey: true });
    expect(shown.props("modelValue")).toEqual(["id", "no", "status", "rate"]);
    await shown.find('[data-field="0"]').trigger("keydown", { key: "Delete" });
    expect(shown.props("modelValue")).toContain("id");
    await shown.find('[aria-label="Leave RATE out"]').trigger("click");
    expect(shown.props("modelValue")).toEqual(["id", "no", "status"]);
  });

  it("are found by parts of their names, over several references, and added many at once", async () => {
    shown = list(["id", "no"]);
    expect(shown.text()).not.toContain("MAIL");
    await shown.find("input").setValue("holder mail");
    expect(shown.find("ul li").text()).toContain("HOLDER › MAIL");
    await shown.find("input").trigger("keydown", { key: "Enter" });
    expect(shown.props("modelValue")).toEqual(["id", "no", "holder/mail"]);
    await shown.find("input").setValue("holder home");
    const names = FIELDS.filter((one) => one.name.startsWith("holder/home")).map((one) => one.name);
    expect(names).toContain("holder/home/status");
    await shown
      .findAll("button")
      .find((one) => one.text().startsWith("Add all"))!
      .trigger("click");
    expect(shown.props("modelValue")).toEqual(["id", "no", "holder/mail", ...names]);
  });

  it("for one value: the second is for reading, and says so before it is added", async () => {
    shown = list(["id", "no", "rate"]);
    expect(shown.text()).toContain("instead of RATE");
    await shown.setProps({ modelValue: ["id", "no", "rate", "flat"] });
    expect(shown.find('[data-field="3"]').attributes("aria-label")).toContain("for reading");
    expect(
      noteOf(
        FIELDS.find((one) => one.name === "holder/mail"),
        BERTH,
        new Set(),
      ),
    ).toBe("for reading");
  });
});

describe("a condition as a sentence", () => {
  it("is finished without the parts that say nothing yet", () => {
    const half: Group = { is: "all", parts: [clause("no", "is", " "), { is: "any", parts: [clause("", "is")] }] };
    expect(finished(half)).toBeNull();
    const more: Group = { is: "all", parts: [...half.parts, clause("status", "empty")] };
    expect(finished(more)).toEqual({ is: "all", parts: [clause("status", "empty")] });
    expect(whole(clause("rate", "between", "1"))).toBe(false);
    expect(whole(clause("rate", "between", "1", "2"))).toBe(true);
  });

  it("is read from what the server tells, and nothing else is taken for one", () => {
    const told = {
      is: "all",
      parts: [{ field: "no", does: "is", values: ["A"] }, { text: "x eq 1" }, 5, { is: "few" }],
    };
    expect(partOf(told)).toEqual({ is: "all", parts: [clause("no", "is", "A"), { text: "x eq 1" }] });
    expect(asGroup(clause("no", "empty")).parts).toHaveLength(1);
    expect(asGroup({ is: "none", parts: [] }).parts).toEqual([{ is: "none", parts: [] }]);
    expect(usual(BERTH.all_fields[4])).toBe("one-of");
    expect(usual(BERTH.all_fields[1])).toBe("is");
  });

  const part = (own: Part) =>
    mount(ClausePart, {
      props: { part: own, fields: FIELDS, application: "x", recordType: "Berth", outer: true },
      global: { plugins: [[VueQueryPlugin, { queryClient }]] },
      attachTo: document.body,
    });

  it("is added to, turned from and to or, and taken from", async () => {
    const shown = part({ is: "all", parts: [clause("no", "is", "A"), clause("rate", "between", "1", "2")] });
    await shown.find(".part-joint").trigger("click");
    expect(shown.emitted("change")!.at(-1)![0]).toMatchObject({ is: "any" });
    await shown.find('[title="Add with and"]').trigger("click");
    expect((shown.emitted("change")!.at(-1)![0] as Group).parts).toHaveLength(3);
    await shown.find('[aria-label="Leave out the condition on NO"]').trigger("click");
    expect((shown.emitted("change")!.at(-1)![0] as Group).parts).toEqual([clause("rate", "between", "1", "2")]);
    const upper = shown.findAll("input.mono")[1]!;
    await upper.setValue("9");
    expect((shown.emitted("change")!.at(-1)![0] as Group).parts[1]).toEqual(clause("rate", "between", "1", "9"));
    await shown.find('[title^="Add a group"]').trigger("click");
    expect((shown.emitted("change")!.at(-1)![0] as Group).parts[2]).toMatchObject({ is: "any" });
    shown.unmount();
  });

  /** A clause "Status is one of a", its values as they stand, and the field in which the next is typed. */
  async function statusOneOfA(application: string, lookedFor = ref(0)) {
    const Shown = defineComponent(() => {
      const part = ref<Part>(clause("status", "one-of", "a"));
      const props = { fields: FIELDS, application, recordType: "Berth" };
      return () => h(ClausePart, { ...props, part: part.value, onChange: (now: Part) => (part.value = now) });
    });
    const plugins = [[VueQueryPlugin, { queryClient }] as [typeof VueQueryPlugin, object]];
    const provide = { [LOOKED_FOR as symbol]: lookedFor };
    const shown = mount(Shown, { global: { plugins, provide }, attachTo: document.body });
    const values = () => shown.findAll("button.part-value").map((one) => one.text());
    const input = shown.find('input[aria-label^="Value"]');
    await input.trigger("focus");
    return { shown, values, input };
  }

  it("offers the application's own values, also to who types and enters faster than they come", async () => {
    const answers: Record<string, () => void> = {};
    vi.stubGlobal("fetch", async (request: Request) => {
      const like = new URL(request.url).searchParams.get("like") ?? "";
      await new Promise<void>((known) => (answers[like] = known));
      const all = [
        { value: "b", label: "Bee", count: 3 },
        { value: "c", label: "Cee", count: null },
      ];
      return Response.json(all.filter((one) => one.label.toLowerCase().startsWith(like)));
    });
    const { shown, values, input } = await statusOneOfA("x");
    for (const text of ["be", "ce", "zz"]) {
      await input.setValue(text);
      await input.trigger("keydown", { key: "Enter" });
      expect((input.element as HTMLInputElement).value).toBe("");
      expect(input.attributes("aria-expanded")).toBe("false");
    }
    expect(values()).toEqual(["a", "be", "ce", "zz"]);
    for (const text of ["ce", "zz", "be"]) {
      await vi.waitFor(() => {
        expect(answers[text]).toBeDefined();
      });
      answers[text]!();
    }
    await vi.waitFor(() => {
      expect(values()).toEqual(["a", "b", "c", "zz"]);
    });
    shown.unmount();
    vi.unstubAllGlobals();
  });

  it("takes values that come at once, or only when they are asked for again, each for what was typed", async () => {
    const answers: Record<string, () => void> = {};
    const asked: string[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      const like = new URL(request.url).searchParams.get("like") ?? "";
      asked.push(like);
      if (like === "de" && asked.filter((one) => one === "de").length === 1)
        return Response.json({ detail: "The application is slow." }, { status: 503 });
      if (like && like !== "de") await new Promise<void>((known) => (answers[like] = known));
      return Response.json(
        ["Bee", "Cee", "Dee"]
          .filter((one) => like && one.toLowerCase().startsWith(like))
          .map((label) => ({ value: label[0], label, count: 1 })),
      );
    });
    const lookedFor = ref(0);
    const { shown, values, input } = await statusOneOfA("busy", lookedFor);
    for (const text of ["be", "ce", "de"]) {
      await input.setValue(text);
      await input.trigger("keydown", { key: "Enter" });
    }
    await vi.waitFor(() => {
      expect(Object.keys(answers)).toEqual(expect.arrayContaining(["be", "ce"]));
    });
    expect(lookedFor.value).toBe(3);
    answers.ce!();
    answers.be!();
    await vi.waitFor(() => {
      expect(values()).toEqual(["a", "B", "C", "D"]);
      expect(lookedFor.value).toBe(0);
    });
    shown.unmount();
    vi.unstubAllGlobals();
  });

  it("takes what was entered early for what it means also where the field had left its question before it failed", async () => {
    const fail: (() => void)[] = [];
    const asked: string[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      const like = new URL(request.url).searchParams.get("like") ?? "";
      asked.push(like);
      if (like === "de" && fail.length < 2) {
        await new Promise<void>((known) => fail.push(known));
        return Response.json({ detail: "The application is slow.", code: "slow" }, { status: 422 });
      }
      return Response.json(like ? [{ value: "d", label: "Dee", count: 1 }] : []);
    });
    const { shown, values, input } = await statusOneOfA("slow");
    await input.setValue("de");
    await vi.waitFor(() => {
      expect(fail.length).toBe(1);
    });
    await input.trigger("keydown", { key: "Enter" });
    expect(values()).toEqual(["a", "de"]);
    await input.setValue("ce");
    await vi.waitFor(() => {
      expect(asked.at(-1)).toBe("ce");
    });
    for (const times of [1, 2]) {
      await vi.waitFor(() => {
        expect(fail.length).toBe(times);
      });
      fail.at(-1)!();
    }
    await vi.waitFor(() => {
      expect(values()).toEqual(["a", "d"]);
    });
    shown.unmount();
    vi.unstubAllGlobals();
  });

  it("does not offer what is typed as it is while the application is slow", async () => {
    let slow = true;
    vi.stubGlobal("fetch", async () =>
      slow
        ? Response.json({ detail: "The application is slow.", code: "slow" }, { status: 422 })
        : Response.json([{ value: "d", label: "Dee", count: 1 }]),
    );
    const { shown, input } = await statusOneOfA("slower");
    vi.useFakeTimers();
    await input.setValue("de");
    await vi.advanceTimersByTimeAsync(60_000);
    expect(document.body.textContent).toContain("Looking…");
    expect(document.body.textContent).not.toContain("as typed");
    slow = false;
    await vi.advanceTimersByTimeAsync(5000);
    vi.useRealTimers();
    await vi.waitFor(() => {
      expect(document.body.textContent).toContain("Dee");
    });
    shown.unmount();
    vi.unstubAllGlobals();
  });
});

describe("the order", () => {
  it("turns round, takes more fields and each only once", async () => {
    const shown = mount(OrderPart, { props: { modelValue: ["no"], fields: FIELDS, usual: "NO" } });
    await shown.find(".part-joint").trigger("click");
    expect(shown.emitted("update:modelValue")!.at(-1)![0]).toEqual(["-no"]);
    await shown.find(".part-remove").trigger("click");
    expect(shown.emitted("update:modelValue")!.at(-1)![0]).toEqual([]);
  });
});

describe("a part of a trip", () => {
  it("goes along with every question about the trip, and with no other", async () => {
    const asked: string[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      const url = new URL(request.url);
      asked.push(`${url.pathname} ${request.headers.get("Vexo-Part") ?? ""}`);
      return Response.json({});
    });
    lookedAt.value = "3";
    await data(api.GET("/api/trips/{id}", { params: { path: { id: 7 } } }));
    await data(api.GET("/api/trips"));
    await api.POST("/api/trips/{id}/plan", { params: { path: { id: 7 } } });
    expect(asked).toEqual(["/api/trips/7 3", "/api/trips ", "/api/trips/7/plan 3"]);
    expect(withPart("/api/trips/7/files/x?file=1")).toBe("/api/trips/7/files/x?file=1&part=3");
    lookedAt.value = "";
    expect(withPart("/x")).toBe("/x");
    vi.unstubAllGlobals();
  });
});
