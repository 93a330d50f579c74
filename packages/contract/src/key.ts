import { z } from 'zod';
import { shown } from './finding.js';
import { hasControlCharacters } from './text.js';

/** Words that YAML or Causalis reads as something else. */
const reserved = new Set([
  'true',
  'false',
  'null',
  'on',
  'off',
  'yes',
  'no',
  'y',
  'n',
  'any',
  'none',
  'nobody',
  'media',
  'site',
  'console',
  'by-hand',
  // Every object of the language has this by itself.
  'constructor',
]);

/** The key of an item: how documents, addresses and commands name it. */
export const Key = z.string().superRefine((text, ctx) => {
  if (!/^[a-z][a-z0-9-]{0,62}$/.test(text)) ctx.addIssue({ code: 'custom', params: { code: 'bad-key', values: { value: shown(text) } } });
  else if (reserved.has(text)) ctx.addIssue({ code: 'custom', params: { code: 'reserved-key', values: { value: text } } });
});

/** The key that an item had before: its identity and all that hangs on it go on. No effect once done. */
export const Was = Key.optional();

/** A text for people: one line, no control characters. */
export const Line = z
  .string()
  .min(1)
  .max(200)
  .superRefine((text, ctx) => {
    if (hasControlCharacters(text)) ctx.addIssue({ code: 'custom', params: { code: 'control-characters', values: {} } });
  });

/** A secret is named in the document and never stands in it. */
export const SecretRef = z.strictObject({ secret: Key });
export type SecretRef = z.infer<typeof SecretRef>;

/** An address of an outside device; schemes are given by the caller. */
export const address = (...schemes: string[]) =>
  z
    .string()
    .max(500)
    .superRefine((text, ctx) => {
      let url: URL | undefined;
      try {
        url = new URL(text);
      } catch {
        url = undefined;
      }
      const scheme = url?.protocol.slice(0, -1);
      if (!url || !scheme || !schemes.includes(scheme) || url.hostname === '')
        ctx.addIssue({
          code: 'custom',
          params: { code: 'bad-address', values: { value: shown(text), expected: schemes.map((s) => `${s}://`).join(' or ') } },
        });
      else if (url.username || url.password) ctx.addIssue({ code: 'custom', params: { code: 'password-in-address', values: {} } });
    });

/** An MQTT topic to publish to or to listen on: no wildcards, no way up. */
export const Topic = z.string().superRefine((text, ctx) => {
  if (text === '' || text.length > 200 || /[+#]/.test(text) || hasControlCharacters(text) || text.split('/').includes('..'))
    ctx.addIssue({ code: 'custom', params: { code: 'bad-topic', values: { value: shown(text) } } });
});
