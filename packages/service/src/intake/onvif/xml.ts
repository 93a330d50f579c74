import { XMLParser } from 'fast-xml-parser';
import { FeedFailure } from '../feeds/contract.js';

/** An answer larger than this is no answer of a camera; one nested deeper neither. */
export const mostBytes = 1024 * 1024;
const mostDepth = 60;

const parser = new XMLParser({
  removeNSPrefix: true,
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  parseTagValue: false,
  parseAttributeValue: false,
  processEntities: { enabled: true, maxEntityCount: 0, maxExpansionDepth: 0 } as never,
  trimValues: true,
});

/** A node of an answer: its children and attributes (`@name`) by name. */
export type Node = { readonly [name: string]: Node | Node[] | string | undefined };

/** The child of a node, at a path; the first where there are several. */
export function child(node: Node | undefined, ...path: string[]): Node | undefined {
  let here: Node | undefined = node;
  for (const name of path) {
    const next = here?.[name];
    const one = Array.isArray(next) ? next[0] : next;
    here = typeof one === 'object' ? one : undefined;
  }
  return here;
}

/** The text at a path. */
export function text(node: Node | undefined, ...path: string[]): string | undefined {
  const last = path.at(-1);
  const parent = child(node, ...path.slice(0, -1));
  const value = last === undefined ? undefined : parent?.[last];
  const one = Array.isArray(value) ? value[0] : value;
  return typeof one === 'string' ? one : typeof one === 'object' && typeof one['#text'] === 'string' ? one['#text'] : undefined;
}

/** All children of that name. */
export const all = (node: Node | undefined, name: string): Node[] =>
  [node?.[name] ?? []].flat().filter((one): one is Node => typeof one === 'object');

/** Reads XML of a camera: no document type, no entities of its own, bounded in size and depth. */
export function readXml(bytes: Buffer): Node {
  const written = bytes.toString('utf8');
  if (bytes.length > mostBytes) throw new FeedFailure('wrong-type', `an answer of more than ${mostBytes} bytes`);
  if (/<!(DOCTYPE|ENTITY)/i.test(written)) throw new FeedFailure('wrong-type', 'XML with a document type of its own');
  let depth = 0;
  for (const tag of written.matchAll(/<(\/?)[A-Za-z_][^<>]*?(\/?)>/g)) {
    if (tag[1]) depth--;
    else if (!tag[2]) depth++;
    if (depth > mostDepth) throw new FeedFailure('wrong-type', `XML nested deeper than ${mostDepth} levels`);
  }
  try {
    return parser.parse(written) as Node;
  } catch (error) {
    throw new FeedFailure('wrong-type', `no XML: ${(error as Error).message.slice(0, 80)}`);
  }
}

const escaped = (value: string): string => value.replace(/[<>&"']/g, (c) => `&#${c.charCodeAt(0)};`);
/** A value as an element of a service. */
export const element = (name: string, value: string | number): string => `<${name}>${escaped(String(value))}</${name}>`;
