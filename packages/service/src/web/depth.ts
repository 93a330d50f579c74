/** How many firings of Causalis lie behind a call, as our own calls say; anything else is a fresh cause. */
export function freshDepth(header: string | string[] | undefined): number {
  const depth = Number(header);
  return Number.isInteger(depth) && depth > 0 && depth < 100 ? depth : 0;
}
