/** Where two short texts differ, by their longest common part. */

export interface Piece {
  text: string;
  differs: boolean;
}

/** The pieces of ``text``, those that ``other`` does not have marked. Texts of more than 200 characters are one piece. */
export function differing(text: string, other: string): Piece[] {
  if (text.length > 200 || other.length > 200) return [{ text, differs: text !== other }];
  const longest: number[][] = Array.from({ length: text.length + 1 }, () =>
    new Array<number>(other.length + 1).fill(0),
  );
  const at = (row: number, column: number): number => longest[row]?.[column] ?? 0;
  for (let i = text.length - 1; i >= 0; i--) {
    const row = longest[i] ?? [];
    for (let j = other.length - 1; j >= 0; j--)
      row[j] = text[i] === other[j] ? at(i + 1, j + 1) + 1 : Math.max(at(i + 1, j), at(i, j + 1));
  }
  const pieces: Piece[] = [];
  const add = (letter: string, differs: boolean): void => {
    const last = pieces.at(-1);
    if (last && last.differs === differs) last.text += letter;
    else pieces.push({ text: letter, differs });
  };
  let i = 0;
  let j = 0;
  while (i < text.length) {
    const letter = text[i] ?? "";
    if (j < other.length && letter === other[j]) {
      add(letter, false);
      i++;
      j++;
    } else if (j < other.length && at(i, j + 1) > at(i + 1, j)) j++;
    else {
      add(letter, true);
      i++;
    }
  }
  return pieces;
}
