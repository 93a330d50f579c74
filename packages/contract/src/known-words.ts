import type { z } from 'zod';

/** The forms that a schema may take once what only wraps it is taken off. */
function formsOf(schema: z.core.$ZodType): z.core.$ZodTypes[] {
  const { def } = (schema as z.core.$ZodTypes)._zod;
  switch (def.type) {
    case 'optional':
    case 'default':
    case 'nullable':
      return formsOf(def.innerType);
    case 'pipe':
      return formsOf(def.out);
    case 'union':
      return def.options.flatMap(formsOf);
    default:
      return [schema as z.core.$ZodTypes];
  }
}

/** Where one step of a path leads to; a list may be written as its only value, so that a step can be missing. */
function inside(schema: z.core.$ZodTypes, step: string | number): z.core.$ZodType[] {
  const { def } = schema._zod;
  switch (def.type) {
    case 'object':
      return typeof step === 'string' && Object.hasOwn(def.shape, step) ? [def.shape[step]] : [];
    case 'record':
      return [def.valueType];
    case 'array':
      return typeof step === 'number' ? [def.element] : formsOf(def.element).flatMap((form) => inside(form, step));
    default:
      return [];
  }
}

/** The words that a schema knows at a place: those of every form that can stand there. */
export function knownWords(schema: z.core.$ZodType, path: readonly (string | number)[]): string[] {
  let forms = formsOf(schema);
  for (const step of path) forms = forms.flatMap((form) => inside(form, step)).flatMap(formsOf);
  return forms.flatMap((form) => {
    const { def } = form._zod;
    if (def.type === 'array') return knownWords(def.element, []);
    return def.type === 'object' ? Object.keys(def.shape) : [];
  });
}
