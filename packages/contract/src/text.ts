/** Control characters and those that turn the direction of writing: nothing that a line for people needs. */
// biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is looked for
const unwanted = /[\u0000-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/;

/** Whether a text holds characters that could move a cursor, break a header or turn the writing. */
export const hasControlCharacters = (text: string): boolean => unwanted.test(text);

/** Text from outside as one short line without control characters: each becomes `instead`. */
export function plainLine(text: string, most: number, instead = ' '): string {
  const clean = text.slice(0, most * 2).replace(new RegExp(unwanted, 'g'), instead);
  return clean.length > most ? `${clean.slice(0, most - 1)}…` : clean;
}
