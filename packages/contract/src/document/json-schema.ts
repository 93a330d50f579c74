import { z } from 'zod';
import { SiteDocument } from './document.js';

type JsonSchema = z.core.JSONSchema.BaseSchema;

/** Lists of which one value may stand alone: JSON Schema says both forms. */
function spellLists({ zodSchema, jsonSchema }: { zodSchema: z.core.$ZodTypes; jsonSchema: JsonSchema }): void {
  const { def } = zodSchema._zod;
  if (def.type !== 'pipe' || def.in._zod.def.type !== 'transform') return;
  const { $schema: _, ...list } = z.toJSONSchema(def.out, { io: 'input', override: spellLists });
  if (!list.items) return;
  for (const word of Object.keys(jsonSchema)) delete jsonSchema[word];
  jsonSchema.anyOf = [list.items as JsonSchema, list];
}

/** The language of documents as JSON Schema (2020-12), for editors. What it cannot say, such as a text that is no duration, the check says. */
export function documentJsonSchema(): JsonSchema {
  return { ...z.toJSONSchema(SiteDocument, { io: 'input', override: spellLists }), title: 'Document of a Causalis site' };
}
