import MarkdownIt from 'markdown-it';
import { describe, expect, it } from 'vitest';
import { certainty, rowWords, trialReport, verdictWords, waySql } from './report.ts';
import type { Trial, Tried } from './trial.ts';

const markdown = new MarkdownIt({ html: true, linkify: true });

const tried = (more: Partial<Tried> = {}): Tried => ({
  key: 'original',
  kinds: [],
  words: 'as it runs now',
  why: [],
  proof: 'always',
  text: 'SELECT id FROM call WHERE pilot_id = $1',
  commands: [],
  settings: {},
  first: { ms: 40, isCold: false },
  runs: [20, 22, 24],
  verdict: null,
  rows: { are: 'equal', count: 12 },
  blocks: { hit: 1_000, read: 40, temporary: 0 },
  workMs: null,
  cost: 100,
  planningMs: 1,
  plan: '[]',
  index: null,
  ...more,
});
const better = tried({
  key: '1',
  kinds: ['index'],
  words: 'on pilot_id',
  why: ['The rows that are wanted lie together.'],
  commands: ['CREATE INDEX ON call (pilot_id)'],
  settings: { enable_seqscan: 'off' },
  runs: [2, 3, 2],
  verdict: { is: 'better', chance: 0.0003 },
});
const trial = (more: Partial<Trial> = {}): Trial => ({
  id: 'a',
  server: 'manifest-db',
  statementId: 's',
  text: 'SELECT id FROM call WHERE pilot_id = $1',
  begun: Date.parse('2026-11-30T10:00:00Z'),
  ended: null,
  phase: 'done',
  words: '',
  progress: { done: 1, of: 1, secondsLeft: null },
  valueSets: [{ values: ['7'], rows: 12 }],
  original: tried(),
  alternatives: [better],
  leftOut: [],
  how: { address: 'localhost:5432', isCopy: true, runs: 9, limitMs: null, warnings: [], looked: 30 },
  ...more,
});
/** Rows of the table of a report, cell by cell. */
const cells = (text: string): string[][] => {
  const rows: string[][] = [];
  for (const token of markdown.parse(text, {})) {
    if (token.type === 'table_close') break;
    if (token.type === 'tr_open') rows.push([]);
    else if (token.type === 'inline' && token.level >= 3 && rows.length > 0)
      rows.at(-1)!.push(token.children!.map((it) => it.content).join(''));
  }
  return rows;
};

describe('a trial as Markdown', () => {
  it('says each way with its times, rows, how sure, and what it saves a day', () => {
    const text = trialReport(trial(), 10_000, 'http://lantern.example/databases/bench');
    expect(text).toMatch(/^# An index: 22\.0 ms → 2\.00 ms, the same 12 rows\n/);
    const [head, original, index] = cells(text);
    expect(head).toEqual(['way', 'median', 'least to most', 'blocks', 'rows', 'verdict', 'saves a day']);
    expect(original).toEqual(['as it runs now', '22.0 ms', '20.0 ms to 24.0 ms', '1\u202f040', '= 12', '', '']);
    // 20 ms of 10 000 calls are 200 s.
    expect(index).toEqual([
      'on pilot_id',
      '2.00 ms',
      '2.00 ms to 3.00 ms',
      '1\u202f040',
      '= 12',
      'faster, 99.97 % sure',
      '3 min 20 s',
    ]);
    expect(text).toContain('a copy');
    expect(text).toContain("```sql\nCREATE INDEX ON call (pilot_id);\nSET LOCAL enable_seqscan = 'off';");
  });

  it('saves nothing that is not known', () => {
    expect(cells(trialReport(trial(), null, '')).every((row) => row.at(-1) === '' || row.at(-1) === 'saves a day')).toBe(true);
  });

  it('names forty of what was left out, and how many more', () => {
    const leftOut = Array.from({ length: 43 }, (_, at) => ({ because: 'slower' as const, words: `way ${at}`, detail: '9 ms' }));
    const text = trialReport(trial({ leftOut }), null, '');
    expect(text).toContain('- way 39: slower, 9 ms');
    expect(text).not.toContain('way 40');
    expect(text).toContain('- and 3 more');
  });

  it('is nothing but text, code and a table of what a statement and its values say', () => {
    const evil = 'a | b ``` <img src=x onerror=alert(1)> [x](http://evil.example) *c*';
    const text = trialReport(
      trial({
        text: `SELECT '${evil}'`,
        server: evil,
        valueSets: [{ values: [evil], rows: 1 }],
        alternatives: [tried({ ...better, words: evil, text: `SELECT '${evil}'` })],
        leftOut: [{ because: 'slower', words: evil, detail: evil }],
      }),
      null,
      '',
    );
    const tokens = markdown.parse(text, {}).flatMap((it) => [it, ...(it.children ?? [])]);
    const types = new Set(tokens.map(({ type }) => type));
    for (const type of ['html_inline', 'html_block', 'link_open', 'image', 'em_open']) expect(types.has(type), type).toBe(false);
    expect(tokens.filter(({ type }) => type === 'fence')).toHaveLength(2);
    expect(cells(text).map((row) => row.length)).toEqual([7, 7, 7]);
  });
});

describe('words of a way', () => {
  it('of its rows', () => {
    expect(rowWords(tried({ rows: null }))).toBe('not compared');
    expect(rowWords(tried({ rows: { are: 'unknown', words: 'stopped' } }))).toBe('not known: stopped');
    expect(rowWords(tried({ rows: { are: 'other', count: 3, words: '9 rows, 3 missing' } }))).toBe('9 rows, 3 missing');
  });

  it('of its verdict, never more sure than it is', () => {
    expect(verdictWords(tried())).toBe('');
    expect(verdictWords(tried({ verdict: { is: 'same', chance: 0.4 } }))).toBe('no difference beyond the noise');
    expect(verdictWords(tried({ verdict: { is: 'worse', chance: 0 } }))).toBe('slower');
    expect(verdictWords(tried({ verdict: { is: 'unsure', chance: 1 } }))).toBe('not enough to say');
    expect(certainty(0.00001)).toBe('over 99.99 %');
    expect(certainty(0.01)).toBe('99.00 %');
  });

  it('of what has to be run to have it', () => {
    expect(waySql(tried())).toBe('SELECT id FROM call WHERE pilot_id = $1;');
  });
});
