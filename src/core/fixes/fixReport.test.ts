import MarkdownIt from 'markdown-it';
import { describe, expect, it } from 'vitest';
import type { CodeTrial, TriedCode } from './codeTrial.ts';
import { betterCode, middle } from './codeTrial.ts';
import { codeVerdict, fixReport, fixSentence } from './fixReport.ts';

const markdown = new MarkdownIt({ html: true });

const way = (more: Partial<TriedCode> = {}): TriedCode => ({
  file: 'original.mjs',
  what: 'as it is',
  source: 'export const run = (it) => it;',
  runs: [10, 12, 11],
  bytes: 2_000,
  bytesAtLeast: false,
  gcMs: 0,
  same: 40,
  of: 40,
  failed: '',
  bySize: [],
  slope: null,
  verdict: null,
  ...more,
});
const trial = (...others: TriedCode[]): CodeTrial => ({
  id: 'a',
  subject: '',
  note: '',
  begun: 0,
  runtime: 'Node.js 20',
  inputs: 40,
  rounds: 9,
  sizeName: '',
  ways: [way(), ...others],
});
const faster = way({ file: 'join.mjs', what: 'joined once', runs: [2, 2, 3], verdict: { is: 'better', chance: 0.001 } });
const verdictOf = (more: Partial<TriedCode>) => {
  const it = trial(way({ runs: [5, 5, 5], ...more }));
  return codeVerdict(it.ways[1], it.ways[0]);
};

describe('the verdict on a way to write it', () => {
  it.each([
    ['faster', { verdict: { is: 'better', chance: 0 } }, '−55 %, same output'],
    ['a little faster', { runs: [10.5], verdict: { is: 'better', chance: 0 } }, '−4.5 %, same output'],
    ['slower', { runs: [22], verdict: { is: 'worse', chance: 0 } }, 'slower, +100 %'],
    ['the same', { verdict: { is: 'same', chance: 0.5 } }, 'no difference beyond the noise'],
    ['not known', { verdict: { is: 'unsure', chance: 1 } }, 'not enough runs'],
    ['broken', { failed: 'x is not defined' }, 'failed: x is not defined'],
    ['wrong, however fast', { same: 38, verdict: null }, 'other output for 2 of 40 inputs'],
  ] as [string, Partial<TriedCode>, string][])('%s', (_, more, words) => {
    expect(verdictOf(more)).toBe(words);
  });
});

describe('which way to take', () => {
  it('is the fastest of those that are faster', () => {
    const slower = way({ what: 'a map', runs: [4], verdict: { is: 'better', chance: 0 } });
    expect(betterCode(trial(slower, faster)).map(({ what }) => what)).toEqual(['joined once', 'a map']);
    expect(fixSentence(trial(slower, faster))).toBe('joined once: 11.0 ms → 2.00 ms, same output for all 40 inputs');
  });

  it('is none where nothing is', () => {
    expect(fixSentence(trial(way({ verdict: { is: 'same', chance: 1 } })))).toBe(
      'None of 1 tried is faster beyond the noise with the same output',
    );
    expect(middle([])).toBeNaN();
  });
});

describe('a run as Markdown', () => {
  it('has a row for each, and the source of the best', () => {
    const text = fixReport(trial(faster, way({ what: 'broken', failed: 'no', runs: [], same: 0 })));
    expect(text).toContain('| joined once | 2.00 ms | 2.00 ms to 3.00 ms | 2.00 kB | 40 of 40 same | −82 %, same output |');
    expect(text).toContain('| broken |  |  |  | 0 of 40 same | failed: no |');
    expect(text).toContain('`join.mjs`:\n\n```js\nexport const run');
  });

  it('stays a table and code, whatever a file says', () => {
    const evil = 'a | b <script>alert(1)</script> ``` `c`';
    const tokens = markdown.parse(fixReport(trial(way({ ...faster, what: evil, file: evil, source: evil }))), {});
    const all = tokens.flatMap((it) => [it, ...(it.children ?? [])]);
    expect(all.some(({ type }) => type.startsWith('html'))).toBe(false);
    expect(tokens.filter(({ type }) => type === 'fence').map(({ content }) => content)).toEqual([`${evil}\n`]);
    expect(tokens.filter(({ type }) => type === 'tr_open')).toHaveLength(3);
    expect(tokens.filter(({ type }) => type === 'td_open')).toHaveLength(12);
  });
});
