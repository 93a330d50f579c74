import type { Finding } from '@causalis/contract';
import { isMap, isScalar, isSeq, LineCounter, type Node, parseDocument } from 'yaml';

/**
 * Gives each finding its line and column in the text. Reads the text a second time with positions, which is slow:
 * called only where there are findings. A path that the text does not hold is placed at its nearest part.
 */
export function placeFindings(findings: readonly Finding[], text: string): Finding[] {
  if (findings.length === 0) return [];
  const lines = new LineCounter();
  const root = parseDocument(text, { lineCounter: lines, keepSourceTokens: false, strict: false, uniqueKeys: false }).contents;

  const offsetOf = (path: Finding['path']): number => {
    let node: unknown = root;
    let offset = (root as Node | null)?.range?.[0] ?? 0;
    for (const step of path) {
      if (isMap(node)) {
        const pair = node.items.find(({ key }) => String(isScalar(key) ? key.value : key) === String(step));
        if (!pair) break;
        offset = (pair.key as Node).range?.[0] ?? offset;
        node = pair.value;
      } else if (isSeq(node) && typeof step === 'number') {
        node = node.items[step];
        if (node === undefined) break;
        offset = (node as Node).range?.[0] ?? offset;
      } else if (typeof step !== 'number') break;
    }
    return offset;
  };
  return findings
    .map((finding) => {
      const { line, col } = lines.linePos(offsetOf(finding.path));
      return { ...finding, place: { line, column: col } };
    })
    .sort((a, b) => a.place.line - b.place.line || a.place.column - b.place.column);
}
