import { expect, it } from 'vitest';
import { refuseCrowded } from './crowded.ts';

it.each([
  ['nothing', ''],
  ['commas in a string', `{"a":"${','.repeat(2_000_000)}"}`],
  ['braces behind an escaped quote', `{"a":"\\"${'['.repeat(200_000)}"}`],
  ['a string that ends with a backslash', `["\\\\"${',1'.repeat(900_000)}]`],
  ['a string that does not end', `["${','.repeat(2_000_000)}`],
  ['many values, not too many', `[${'1,'.repeat(999_000)}1]`],
])('lets %s be read', (_, text) => expect(() => refuseCrowded(text)).not.toThrow());

it.each([
  ['objects', `{"resourceSpans":[${'{},'.repeat(600_000)}{}]}`, 'values'],
  ['numbers', `[${'1,'.repeat(1_100_000)}1]`, 'values'],
  ['lists in lists', '['.repeat(1_000_001), 'values'],
  ['numbers behind a string with a backslash at its end', `["\\\\"${',1'.repeat(1_100_000)}]`, 'values'],
])('refuses too many %s', (_, text, why) => expect(() => refuseCrowded(text)).toThrow(why));
