import assert from 'node:assert/strict';
import { test } from 'node:test';
import { readInput } from '../src/intake/inputs.js';

const float = { over: 'house', topic: 'tank/float', readings: { '0': 'ok', '1': 'low' } };
const frost = { over: 'house', topic: 'frost', number: '°C', at: '/sensor/value' };

test('a word of a sensor is the reading that it stands for', () => {
  assert.deepEqual(readInput(float, Buffer.from(' 1\n')), { reading: 'low' });
  assert.deepEqual(readInput(float, Buffer.from('2')), { refused: 'unknown-reading' });
  assert.deepEqual(readInput(float, Buffer.from('constructor')), { refused: 'unknown-reading' });
});

test('a number is taken from where it stands, and nothing else is one', () => {
  assert.deepEqual(readInput(frost, Buffer.from('{"sensor":{"value":-3.5}}')), { number: -3.5 });
  assert.deepEqual(readInput(frost, Buffer.from('{"sensor":{"value":"4"}}')), { number: 4 });
  for (const [said, why] of [
    ['{"sensor":{}}', 'not-there'],
    ['no json', 'not-json'],
    ['{"sensor":{"value":"NaN"}}', 'no-number'],
    ['{"sensor":{"value":""}}', 'no-number'],
    ['{"sensor":{"value":{"a":1}}}', 'no-number'],
    ['x'.repeat(9_000), 'too-large'],
  ])
    assert.deepEqual(readInput(frost, Buffer.from(said)), { refused: why }, said.slice(0, 30));
});
