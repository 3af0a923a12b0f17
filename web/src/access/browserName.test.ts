import { describe, expect, it } from "vitest";

import { browserName } from "./browserName";

describe("what a browser says that it is", () => {
  it("is told as people know it", () => {
    const chromium =
      "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/150.0 Safari/537.36";
    expect(browserName(chromium)).toBe("Chromium on Linux");
    expect(browserName(`${chromium} Edg/150.0`)).toBe("Edge on Linux");
    expect(browserName("Mozilla/5.0 (Windows NT 10.0; rv:140.0) Gecko/20100101 Firefox/140.0")).toBe(
      "Firefox on Windows",
    );
    expect(browserName("Mozilla/5.0 (Linux; Android 15) Chrome/150.0 Mobile Safari/537.36")).toBe(
      "Chromium on Android",
    );
  });
  it("is its own words where it is none of the known", () => {
    expect(browserName("Lynx/2.9")).toBe("Lynx/2.9");
    expect(browserName("")).toContain("does not say");
    expect(browserName("x".repeat(300))).toHaveLength(60);
  });
});
