import assert from 'node:assert/strict';
import { test } from 'node:test';
import { shapeDocument } from '../src/index.js';

/** What the language says of one mark, and of watching. */
function saidOf(mark: object, watching: object = {}): string[] {
  const feeds = { main: { kind: 'still', url: 'http://127.0.0.1/x.jpg' } };
  const shaped = shapeDocument({
    causalis: 1,
    site: { key: 'quillmere', name: 'Garden', timezone: 'Europe/Dublin' },
    cameras: { gatehouse: { title: 'Gatehouse', feeds, marks: { drawn: mark }, watching } },
  });
  return 'findings' in shaped ? shaped.findings.map(({ code, path }) => `${code} ${path.slice(2).join('.')}`) : [];
}

test('what is drawn wrongly is refused at its place', () => {
  const square = [
    [0.1, 0.1],
    [0.9, 0.1],
    [0.9, 0.9],
    [0.1, 0.9],
  ];
  assert.deepEqual(saidOf({ zone: square }), []);
  assert.deepEqual(saidOf({ zone: [square[0], square[2], square[1], square[3]] }), ['polygon-crosses marks.drawn.zone']);
  assert.deepEqual(saidOf({ ignored: [square[0], [0.5, 0.1], square[1]] }), ['polygon-flat marks.drawn.ignored']);
  assert.deepEqual(saidOf({ zone: [square[0], [1.4, 0.1], square[2]] }), ['too-big marks.drawn.zone.1.0']);
  assert.deepEqual(saidOf({ line: [square[0]] }), ['too-small marks.drawn.line']);
  assert.deepEqual(saidOf({ line: [square[0], square[0]] }), ['line-short marks.drawn.line']);
  assert.deepEqual(saidOf({ private: { cells: ['.#.', '..'] } }), ['uneven-cells marks.drawn.private.cells']);
});

test('sizes the wrong way round are refused', () => {
  assert.deepEqual(saidOf({ zone: { cells: ['#'] } }, { smallest: '5%', largest: '1%' }), ['sizes-reversed watching.smallest']);
});
