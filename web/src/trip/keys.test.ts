import { describe, expect, it } from "vitest";

import { differing } from "./keys/differing";

describe("what differs between two keys", () => {
  const marked = (text: string, other: string): string =>
    differing(text, other)
      .map((piece) => (piece.differs ? `[${piece.text}]` : piece.text))
      .join("");
  it("is marked character by character, in either text", () => {
    expect(marked("B-O31", "B-031")).toBe("B-[O]31");
    expect(marked("B-031", "B-O31")).toBe("B-[0]31");
    expect(marked("B-44", "B-044")).toBe("B-44");
    expect(marked("B-044", "B-44")).toBe("B-[0]44");
    expect(marked("b-052", "B-052")).toBe("[b]-052");
    expect(marked("same", "same")).toBe("same");
    expect(marked("", "x")).toBe("");
  });
  it("gives every character of the text again", () => {
    for (const [text, other] of [
      ["NORTHHAVEN · B-O31", "NORTHHAVEN · B-031"],
      ["abcabc", "cba"],
      ["x".repeat(300), "y"],
    ] as const)
      expect(
        differing(text, other)
          .map((piece) => piece.text)
          .join(""),
      ).toBe(text);
  });
});
