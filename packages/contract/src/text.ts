/** Control characters and those that turn the direction of writing: nothing that a line for people needs. */
// biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is looked for
const unwanted = /[\u0000-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/;

/** Halves of characters: no text holds one, no database keeps one, and no terminal shows one. */
const halves = /[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;

/** Whether a text holds characters that could move a cursor, break a header or turn the writing. */
export const hasControlCharacters = (text: string): boolean => unwanted.test(text) || text.search(halves) >= 0;

/** Text from outside as one short line without control characters: each becomes `instead`. */
export function plainLine(text: string, most: number, instead = ' '): string {
  const clean = text.slice(0, most * 2).replace(new RegExp(unwanted, 'g'), instead);
  // Cutting may halve a character, so halves go last.
  return (clean.length > most ? `${clean.slice(0, most - 1)}…` : clean).replace(halves, '\ufffd');
}

/** The known name nearest to a slip of the pen, or nothing near enough (edit distance up to a third of its length). */
export function nearest(word: string, known: readonly string[]): string | undefined {
  let best: { name: string; far: number } | undefined;
  for (const name of known) {
    const far = editDistance(word, name);
    if (far <= Math.ceil(name.length / 3) && (!best || far < best.far)) best = { name, far };
  }
  return best?.name;
}

/** Levenshtein's edit distance. */
function editDistance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let k = 1; k <= b.length; k++) next[k] = Math.min(row[k] + 1, next[k - 1] + 1, row[k - 1] + (a[i - 1] === b[k - 1] ? 0 : 1));
    row = next;
  }
  return row[b.length];
}
