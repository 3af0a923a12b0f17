import { describe, expect, it } from "vitest";

import { type Guard, sentence, withLimit, withMode } from "./guards";

const guard: Guard = {
  name: "far-out",
  title: "Far out",
  when: "more than {ranges} times, of at least {values}",
  mode: "say",
  otherwise: "hold",
  said: true,
  modes: [],
  limits: [
    { name: "ranges", value: "4", otherwise: "3", least: "0.1", most: "1000", said: true },
    { name: "values", value: "30", otherwise: "30", least: "1", most: "1000000", said: false },
  ],
};

describe("what is set of guards", () => {
  it("keeps what others say, and forgets what would count anyway", () => {
    const said = { check: { mode: "off" }, "far-out": { mode: "say", limits: { ranges: "4" } } };
    expect(withMode(said, guard, "off")["far-out"]).toEqual({ mode: "off", limits: { ranges: "4" } });
    expect(withMode(said, guard, "hold")["far-out"]).toEqual({ limits: { ranges: "4" } });
    expect(withLimit(said, guard, "ranges", " 5 ")["far-out"]).toEqual({ mode: "say", limits: { ranges: "5" } });
    expect(withLimit(said, guard, "ranges", "3")).toEqual({ check: { mode: "off" }, "far-out": { mode: "say" } });
    expect(withMode({ "far-out": { mode: "say" } }, guard, "hold")).toEqual({});
    expect(withLimit({}, guard, "values", "")).toEqual({});
  });

  it("is a sentence with its limits in their places", () => {
    const parts = sentence(guard);
    expect(parts.map((part) => part.limit?.value ?? part.text).join("")).toBe("more than 4 times, of at least 30");
  });
});
