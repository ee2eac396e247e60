import { describe, expect, it } from 'vitest';
import type { CodeFinding, CodeFindings } from '../../api/code/findings.ts';
import { counted, findingsSentence, issueText, sureWords } from './findingWords.ts';

const finding = (more: Partial<CodeFinding> = {}): CodeFinding =>
  ({
    key: 'k',
    habit: 'string-building',
    title: 'Text put together in a loop',
    advice: 'Gather the parts and join them once.',
    unit: 'cpu',
    service: 'passes',
    version: '3.9.0',
    place: { name: 'reach/passes/render.(*Pass).barcode', file: 'src/passes/render.go', line: 88 },
    lines: [],
    share: 0.31,
    interval: [0.28, 0.34],
    samples: 12_400,
    value: 90e9,
    usual: { low: 0.01, high: 0.03, shares: [] },
    overUsual: 80e9,
    verdict: 'over usual',
    by: 'syntax',
    fixes: null,
    setAside: '',
    ...more,
  }) as CodeFinding;
const answer = (findings: readonly CodeFinding[], services = 16) => ({ findings, services }) as unknown as CodeFindings;
const say = (...findings: CodeFinding[]) => findingsSentence(answer(findings));

describe('what findings come to', () => {
  it.each([
    ['nothing', say(), 'No habit takes more than is usual'],
    ['one', say(finding()), 'One habit takes 1 min 20 s of CPU beyond usual in passes'],
    [
      'two',
      say(finding(), finding({ service: 'fares', overUsual: 10e9 })),
      'Two habits take 1 min 30 s of CPU beyond usual, 1 min 20 s in passes',
    ],
    [
      'one of CPU and one of memory',
      say(finding(), finding({ unit: 'bytes', overUsual: 5e6 })),
      'Two habits take more than usual: 1 min 20 s of CPU, 1 min 20 s in passes',
    ],
    ['memory alone', say(finding({ unit: 'bytes', overUsual: 5e6 })), 'One habit takes more than usual, 5.00 MB in passes'],
    [
      'what is in range or has too little data',
      say(finding({ verdict: 'in range' }), finding({ verdict: 'not enough data' })),
      'No habit takes more than is usual',
    ],
    ['what was set aside', say(finding({ setAside: 'known, ticket 7' })), 'No habit takes more than is usual'],
    [
      'what cannot be compared, as just that',
      say(finding({ verdict: 'usual not known', usual: null, overUsual: null }), finding({ verdict: 'usual not known' })),
      'Text put together in a loop takes 31.0 % of passes, and 1 more; what is usual is not known',
    ],
    ['no profile', findingsSentence(answer([], 0)), 'No profile in this window'],
  ])('%s', (_, sentence, expected) => {
    expect(sentence).toBe(expected);
  });

  it('counts only what is beyond usual, or not known to be usual, and not set aside', () => {
    const all = [
      finding(),
      finding({ verdict: 'usual not known' }),
      finding({ verdict: 'in range' }),
      finding({ setAside: 'x' }),
    ];
    expect(counted(answer(all))).toHaveLength(2);
  });
});

describe('how sure a finding is', () => {
  it.each([
    ['syntax', 'by its syntax'],
    ['text', 'by its text'],
    ['names', 'Only the names of frames tell'],
  ] as const)('%s', (by, words) => {
    expect(sureWords(finding({ by }))).toContain('12\u202f400 samples; share between 28.0 and 34.0 % (95 %).');
    expect(sureWords(finding({ by }))).toContain(words);
  });
});

describe('a finding as text for an issue', () => {
  const window = { from: '2026-11-30T05:00Z', to: '2026-11-30T06:00Z' };

  it('says where, what it costs, how sure, what to do, and where to look', () => {
    const text = issueText(finding(), window, 'http://lantern.example/code/findings', '**Fixes, measured.** …');
    expect(text).toMatch(/^# passes 3\.9\.0: text put together in a loop\n/);
    expect(text).toContain('**Where.** `Pass.barcode` at `passes/render.go:88`.');
    expect(text).toContain(
      '31.0 % of the CPU of passes 3.9.0 (usual for this habit 1.0–3.0 %): 1 min 30 s, 1 min 20 s more than usual, between 2026-11-30T05:00Z',
    );
    expect(text).toContain('**Fixes, measured.** …');
    expect(text.trimEnd()).toMatch(/http:\/\/lantern\.example\/code\/findings$/);
  });

  it('says that the usual is not known where it is not', () => {
    const text = issueText(finding({ usual: null, overUsual: null }), window, '');
    expect(text).toContain('(what is usual is not known): 1 min 30 s, between');
  });

  it('lets no name of a function or service become markup', () => {
    const text = issueText(finding({ service: '[x](y)', place: { name: 'a`b', file: 'f.js', line: 1 } }), window, '');
    expect(text).not.toContain('# [x](y)');
    expect(text).toContain('`` a`b ``');
  });
});
