import type { BlobVerdict } from '@causalis/contract';

/** Each verdict has a shape beside its colour. */
export const verdictShapes: Readonly<Record<BlobVerdict, string>> = {
  counted: '●',
  'too-small': '▾',
  'too-large': '▴',
  'too-short': '◔',
  outside: '○',
  still: '■',
  light: '☀',
  sways: '≈',
  fleeting: '⁄',
  'not-sure': '?',
  'not-wanted': '×',
};
