/** The version of the language that this Causalis writes; it reads every version before. */
export const documentVersion = 1;

type Plain = Readonly<Record<string, unknown>>;
/** What makes a document of version n one of version n + 1, by n: pure functions of what was written. */
export type Upgrades = Readonly<Record<number, (document: Plain) => Plain>>;

/** There is no version before the first. */
const upgrades: Upgrades = {};

/** A document of an earlier version as one of this version, step by step; anything else stays as it is. */
export function upgradeDocument(input: unknown, steps: Upgrades = upgrades, to: number = documentVersion): unknown {
  let document = input;
  for (;;) {
    if (typeof document !== 'object' || document === null || Array.isArray(document)) return document;
    const version = (document as Plain).causalis;
    if (typeof version !== 'number' || version >= to || !steps[version]) return document;
    document = { ...steps[version](document as Plain), causalis: version + 1 };
  }
}
