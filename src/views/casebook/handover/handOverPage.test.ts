import { describe, expect, it } from 'vitest';
import { everyForm } from '../../../../tests/support/everyForm.ts';
import { EMPTY_CASE, NO_IMPACT } from '../../../core/casebook/caseContent.ts';
import { type HandOver, handOverOf, USUAL_PARTS } from '../../../core/casebook/handover/handOver.ts';
import { handOverPage } from './handOverPage.ts';

const AT = Date.parse('2026-05-02T10:21:00Z');
const BAD = '</style><script>alert(1)</script><img src=x onerror=alert(2)>"\'><a href="javascript:alert(3)">x</a>';

function of(text: string): HandOver {
  const content = {
    ...EMPTY_CASE,
    title: text,
    team: text,
    notes: `${text} [l](javascript:alert(4)) ![p](http://evil.example/x.png)`,
    helped: text,
    entries: [{ id: 'a', at: AT, page: text, text, pins: ['p'], by: text }],
    hypotheses: [{ id: 'h', order: 1, text, standing: 'ruled out' as const, reason: text, for: [], against: ['p'] }],
    asked: [{ id: 'q', order: 1, text }],
  };
  const pin = {
    id: 'p',
    kind: 'trace' as const,
    title: text,
    at: AT,
    by: text,
    scope: { from: AT, to: AT + 1, before: null, where: text },
    path: '/traces/1',
    evidence: everyForm(text),
    about: [],
    rawBytes: 0,
  };
  return handOverOf(
    { number: 1, content, worked: NO_IMPACT, pins: [pin], steps: [{ at: AT, title: text, path: '/now' }] },
    { parts: [...USUAL_PARTS, 'steps', 'names'], origin: 'http://lantern.example', zone: 'UTC', now: AT },
  );
}

describe('the hand-over as HTML', () => {
  it('holds no script, no handler and nothing that is fetched, whatever the evidence says', () => {
    for (const page of [handOverPage(of(BAD), false), handOverPage({ ...of('x'), words: BAD }, true)]) {
      expect(page).not.toMatch(/<script/i);
      // A tag that data made would stand unescaped.
      expect(page).not.toMatch(/<img|<iframe|<object|<embed|<link/i);
      const bare = page.replace(/"[^"]*"/g, '""');
      expect(bare.match(/<[a-z][^>]*\son\w+=/gi) ?? []).toEqual([]);
      expect(bare).not.toMatch(/<[a-z][^>]*\ssrc=/i);
      // Links that people wrote lead where they say; nothing else than the web is led to.
      expect(page.match(/href="(?!#|https?:\/\/)[^"]*"/gi) ?? []).toEqual([]);
      expect(page).toContain("default-src 'none'");
    }
  });

  it('draws every form of evidence with its words', () => {
    const page = handOverPage(of('Words of it'), false);
    expect(page.match(/<figure/g)).toHaveLength(everyForm('').length);
    expect(page.match(/<svg/g)!.length).toBeGreaterThanOrEqual(4);
    expect(page).toContain('<h2>What was ruled out</h2>');
    expect(page).toContain('id="figure-1"');
    expect(page).not.toMatch(/NaN|undefined|\[object/);
  });
});
