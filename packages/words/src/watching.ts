import type { WatchingChange } from '@causalis/contract';
import { textsIn } from './catalogue.js';
import { fill } from './fill.js';

/** What becomes of one value by which a camera is watched: `gatehouse, smallest: 0.05% becomes 0.2%`. */
export function watchingText({ camera, name, dark, before, after, own }: WatchingChange): string {
  const texts = textsIn().watching;
  const what = fill(dark ? texts.inTheDark : texts.byDay, { camera, name });
  return fill(own ? texts.keeps : texts.becomes, { what, before: before ?? texts.asByDay, after: after ?? texts.asByDay });
}
