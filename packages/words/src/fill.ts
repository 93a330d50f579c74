/** Fills `{names}` of a text of ours with values. */
export const fill = (text: string, values: Readonly<Record<string, string | number>>): string =>
  text.replace(/\{([a-zA-Z]+)\}/g, (whole, name: string) => (name in values ? String(values[name]) : whole));
