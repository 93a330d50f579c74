/** The fields that a text may take from its event. */
export const templateFields = ['label', 'who', 'mark', 'camera', 'source', 'time', 'mode', 'rule', 'site'] as const;
export type TemplateField = (typeof templateFields)[number];

/** The fields that a text names which do not exist. */
export function unknownFields(text: string): string[] {
  return [...text.matchAll(/\{([^{}]*)\}/g)].map(([, name]) => name).filter((name) => !templateFields.some((field) => field === name));
}

/** Fills a text with what is known of its event. */
export function fillTemplate(text: string, fields: Record<TemplateField, string>): string {
  return text.replace(/\{([^{}]*)\}/g, (whole, name: string) => (name in fields ? fields[name as TemplateField] : whole));
}
