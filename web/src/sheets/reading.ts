/** Encodings and delimiters, in people's words. */
export const ENCODINGS: Record<string, string> = {
  "utf-8": "UTF-8",
  "utf-8-sig": "UTF-8 with its mark",
  "utf-16": "UTF-16",
  cp1252: "Windows-1252, western",
  cp1250: "Windows-1250, central Europe",
  cp1251: "Windows-1251, Cyrillic",
  cp1253: "Windows-1253, Greek",
  cp1254: "Windows-1254, Turkish",
  cp1257: "Windows-1257, Baltic",
  iso8859_15: "ISO 8859-15, western",
  iso8859_2: "ISO 8859-2, central Europe",
  cp850: "DOS 850, western",
  cp437: "DOS 437",
  cp852: "DOS 852, central Europe",
  cp866: "DOS 866, Cyrillic",
};
export const DELIMITERS: Record<string, string> = {
  ",": "commas",
  ";": "semicolons",
  "\t": "tabs",
  "|": "upright bars",
};
