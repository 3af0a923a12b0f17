import { mount } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h } from "vue";

import FootLine from "@/shell/FootLine.vue";
import { type Key, onKey, registered, useKeys } from "./keys";
import { dismiss, notices, say, sayError } from "./notices";

const page = (group: string, keys: Key[]) =>
  mount(
    defineComponent({
      setup() {
        useKeys(group, keys);
        return () => h("div", [h("input"), h("button", "x"), h("details", [h("summary", "more")])]);
      },
    }),
    { attachTo: document.body },
  );
const press = (key: string, more: KeyboardEventInit = {}, target: EventTarget = document.body): KeyboardEvent => {
  const event = new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true, ...more });
  Object.defineProperty(event, "target", { value: target });
  onKey(event);
  return event;
};

afterEach(() => {
  registered.splice(0);
  document.body.innerHTML = "";
});

describe("keys", () => {
  it("run what the page says, in any capitals", () => {
    const run = vi.fn();
    page("Rows", [{ key: "J", says: "next", run }]);
    press("j");
    press("J");
    expect(run).toHaveBeenCalledTimes(2);
  });

  it("belong to the page that opened last, and go with it", () => {
    const [outer, inner] = [vi.fn(), vi.fn()];
    page("Everywhere", [{ key: "O", says: "send out", run: outer }]);
    const second = page("Trips", [{ key: "O", says: "open", run: inner }]);
    press("o");
    second.unmount();
    press("o");
    expect([inner.mock.calls.length, outer.mock.calls.length]).toEqual([1, 1]);
  });

  it("are left alone while someone types, but for those with Ctrl", () => {
    const [plain, find] = [vi.fn(), vi.fn()];
    const made = page("Everywhere", [
      { key: "X", says: "set aside", run: plain },
      { key: "Ctrl K", says: "find", run: find },
    ]);
    const input = made.find("input").element;
    press("x", {}, input);
    document.body.innerHTML += '<ul role="listbox"><li role="option" tabindex="0">Operator</li></ul>';
    press("x", {}, document.querySelector("[role=option]")!);
    press("k", { ctrlKey: true }, input);
    expect([plain.mock.calls.length, find.mock.calls.length]).toEqual([0, 1]);
  });

  it("leave Enter to the button that has the focus, and everything to a dialog", () => {
    const run = vi.fn();
    const made = page("Trips", [{ key: "Enter", says: "open", run }]);
    press("Enter", {}, made.find("button").element);
    press("Enter", {}, made.find("summary").element);
    document.body.insertAdjacentHTML("beforeend", '<div role="dialog"></div>');
    press("Enter");
    expect(run).not.toHaveBeenCalled();
  });

  it("are said in the foot line unless they are quiet", () => {
    page("Rows", [
      { key: "J", says: "next row", run: () => {} },
      { key: "End", says: "last row", quiet: true, run: () => {} },
    ]);
    const foot = mount(FootLine);
    expect(foot.text()).toContain("next row");
    expect(foot.text()).not.toContain("last row");
  });
});

describe("notices", () => {
  it("go by themselves when all is well, and stay when something is wrong", () => {
    vi.useFakeTimers();
    notices.splice(0);
    say("3 rows decided.");
    sayError(new Error("The plan has changed."));
    vi.advanceTimersByTime(10_000);
    expect(notices.map((notice) => [notice.text, notice.bad])).toEqual([["The plan has changed.", true]]);
    dismiss(notices[0]!.id);
    expect(notices).toHaveLength(0);
    vi.useRealTimers();
  });
});
