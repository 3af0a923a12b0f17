import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";

import FieldChips from "./FieldChips.vue";

const props = {
  chosen: [{ name: "notes", title: "Notes" }],
  others: [{ name: "phone", title: "Phone" }],
  mayChange: true,
  disabled: false,
  label: "A field of Holders that is never written",
  off: "of Holders may be written",
};

describe("fields of which something is said", () => {
  it("are taken off by name, and another is added from the list", async () => {
    const chips = mount(FieldChips, { props });
    await chips.find("button[aria-label='Notes of Holders may be written']").trigger("click");
    const list = chips.find("select");
    expect(list.attributes("aria-label")).toBe(props.label);
    expect(list.findAll("option").map((option) => option.text())).toEqual(["another field…", "Phone"]);
    await list.setValue("phone");
    expect(chips.emitted()).toMatchObject({ remove: [["notes"]], add: [["phone"]] });
  });

  it("only stand there for who may not change them", () => {
    const chips = mount(FieldChips, { props: { ...props, chosen: [], mayChange: false } });
    expect(chips.text()).toBe("no field");
    expect(chips.findAll("button, select")).toHaveLength(0);
  });
});
