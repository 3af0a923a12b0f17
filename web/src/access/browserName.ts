/** What a browser says that it is, as people know it: "Firefox on Linux"; its own words where it is none of these. */
const BROWSERS: [RegExp, string][] = [
  [/Edg\//, "Edge"],
  [/Firefox\//, "Firefox"],
  [/Chrom(e|ium)\//, "Chromium"],
  [/Safari\//, "Safari"],
];
const SYSTEMS: [RegExp, string][] = [
  [/Android/, "Android"],
  [/iPhone|iPad/, "iOS"],
  [/Windows/, "Windows"],
  [/Mac OS X/, "macOS"],
  [/Linux/, "Linux"],
];

export function browserName(says: string): string {
  const of = (known: [RegExp, string][]): string | undefined => known.find(([sign]) => sign.test(says))?.[1];
  const browser = of(BROWSERS);
  const system = of(SYSTEMS);
  if (browser && system) return `${browser} on ${system}`;
  return browser ?? (says.slice(0, 60) || "a browser that does not say what it is");
}
