import fc from 'fast-check';
import MarkdownIt from 'markdown-it';
import { describe, expect, it } from 'vitest';
import { everyForm } from '../../../../tests/support/everyForm.ts';
import { handOverFileSchema } from '../../../formats/casebook/caseSchema.ts';
import { codeBlock, markdownTable, plainInMarkdown } from '../../markdown/markdownText.ts';
import { type CaseContent, EMPTY_CASE, NO_IMPACT } from '../caseContent.ts';
import type { Pin } from '../pin.ts';
import { type HandOverPart, handOverOf, USUAL_PARTS } from './handOver.ts';
import { handOverMarkdown, handOverWords } from './handOverMarkdown.ts';

const AT = Date.parse('2026-05-02T10:21:00Z');
const markdown = new MarkdownIt({ html: true, linkify: true });

function pin(id: string, text = 'as it was'): Pin {
  return {
    id,
    kind: 'blocking',
    title: `figure ${id}`,
    at: AT + 600_000,
    by: 'Ines Halloran',
    scope: { from: AT, to: AT + 60_000, before: { from: AT - 60_000, to: AT }, where: 'entry is PUT /bookings/{ref}' },
    path: `/databases/manifest-db?at=${id}`,
    evidence: everyForm(text),
    about: [],
    rawBytes: 0,
  };
}

const CONTENT: CaseContent = {
  ...EMPTY_CASE,
  title: 'Change a booking hung',
  team: 'Platform',
  since: AT,
  until: AT + 29 * 60_000,
  keptBy: 'Ines Halloran',
  notes: 'See <script>alert(1)</script> and **this**',
  helped: 'The question was answered.',
  entries: [
    { id: 'a', at: AT + 1, page: 'Databases', text: 'Eight hang on **one**', pins: ['p2'], by: 'Jory Penn' },
    { id: 'b', at: AT + 2, page: 'Now', text: 'It hangs', pins: ['p1', 'p2'], by: 'Ines Halloran' },
  ],
  hypotheses: [
    {
      id: 'h',
      order: 1,
      text: 'The roll-over keeps row locks',
      standing: 'holds',
      reason: 'seen twice',
      for: ['p3'],
      against: [],
    },
    {
      id: 'r',
      order: 2,
      text: 'The disk is slow',
      standing: 'ruled out',
      reason: 'its waits are as before',
      for: [],
      against: ['p1'],
    },
  ],
  asked: [{ id: 'q', order: 1, text: 'Commit route by route' }],
};
const IMPACT = {
  ...NO_IMPACT,
  people: 171,
  failed: 240,
  requests: 295,
  waitingNs: 12_180e9,
  amount: 31_400,
  amountLeast: 27_900,
  amountMost: 35_200,
};
const STEPS = [{ at: AT, title: 'Now: one journey got worse', path: '/now?last=60min' }];

function made(
  parts: readonly HandOverPart[] = USUAL_PARTS,
  content = CONTENT,
  pins = [pin('p1'), pin('p2'), pin('p3'), pin('unused')],
) {
  return handOverOf(
    { number: 17, content, worked: IMPACT, pins, steps: STEPS },
    { parts, origin: 'http://lantern.example:4780', zone: 'UTC', now: AT + 3_600_000 },
  );
}

describe('a hand-over', () => {
  it('numbers figures as the log mentions them, then those of hypotheses; what nobody mentions is no figure', () => {
    const it = made();
    expect(it.figures.map(({ id, number }) => [id, number])).toEqual([
      ['p2', 1],
      ['p1', 2],
      ['p3', 3],
    ]);
    expect(it.log.map(({ figures }) => figures)).toEqual([[1], [2, 1]]);
    expect(it.hypotheses[0].for).toEqual([3]);
    expect(it.ruledOut[0].against).toEqual([2]);
  });

  it('leaves out names of people, steps and parts unless they are asked for', () => {
    const usual = made();
    expect([usual.keptBy, usual.log[0].by, usual.steps]).toEqual(['', '', []]);
    const all = made([...USUAL_PARTS, 'names', 'steps']);
    expect([all.keptBy, all.log[0].by, all.steps.length]).toEqual(['Ines Halloran', 'Jory Penn', 1]);
    const bare = made([]);
    expect([bare.log, bare.figures, bare.ruledOut]).toEqual([[], [], []]);
  });

  it('has figures that people set in place of what was worked out, and says which', () => {
    const it = made(USUAL_PARTS, { ...CONTENT, impact: { people: 180 } });
    expect([it.impact.people, it.impact.failed, it.impactSet]).toEqual([180, 240, ['people']]);
  });

  it('as JSON follows its schema', () => {
    const file = { format: 'lantern.hand-over', version: 1, ...made([...USUAL_PARTS, 'steps']) };
    expect(handOverFileSchema.parse(JSON.parse(JSON.stringify(file)))).toEqual(file);
  });
});

describe('as Markdown', () => {
  it('stands in the order that the other team needs', () => {
    const heads = [...handOverMarkdown(made()).matchAll(/^##? (.*)$/gm)].map(([, head]) => head);
    expect(heads).toEqual([
      'Change a booking hung',
      'Impact',
      'Since when',
      'What we saw',
      'What it could be',
      'Notes',
      'Evidence',
      'What was ruled out',
      'What we ask of you',
      'What helped',
      'Links',
    ]);
  });

  it('says impact, since when, figures and where they lead', () => {
    const text = handOverMarkdown(made());
    expect(text).toContain('- people: **171**');
    expect(text).toContain('- requests failed: **240** (of 295)');
    expect(text).toContain('- booking.value lost: **31\u202f400** (27\u202f900 to 35\u202f200)');
    expect(text).toContain('From 2 May 2026 10:21:00 UTC until 2 May 2026 10:50:00 UTC.');
    expect(text).toContain('Eight hang on **one** *fig. 1*');
    expect(text).toContain('- **ruled out**: The disk is slow – its waits are as before; against it: *fig. 2*');
    expect(text).toContain('[Fig. 1: figure p2](<http://lantern.example:4780/databases/manifest-db?at=p2>)');
  });

  it('of visits says whose, and what went wrong of views; where requests are counted after all, nothing of visits', () => {
    const of = (content: Partial<CaseContent>) => handOverMarkdown(made(USUAL_PARTS, { ...CONTENT, ...content }));
    const ofVisits = of({ countsRequests: false, visitsOf: 'deck-app [x](y)' });
    expect(ofVisits).toContain('- views went wrong: **240** (of 295)');
    expect(ofVisits).toMatch(/Visits of deck-app .*\./);
    expect(ofVisits).not.toContain('[x](y)');
    const ofRequests = of({ countsRequests: true, visitsOf: 'deck-app' });
    expect(ofRequests).toContain('- requests failed: **240** (of 295)');
    expect(ofRequests).not.toContain('Visits of');
  });

  it('says that the impact is not known rather than nothing', () => {
    const it = { ...made(), impact: NO_IMPACT, since: null };
    expect(handOverMarkdown(it)).toMatch(/## Impact\n\nNot known\.\n\n## Since when\n\nNot known since when\./);
  });

  it('has words that somebody rewrote in place of the generated ones, with evidence and links still there', () => {
    const own = handOverMarkdown(made(USUAL_PARTS, { ...CONTENT, words: '# For you\n\nLook at fig. 1 <b>now</b>' }));
    expect(own.startsWith('# For you\n\nLook at fig. 1 &lt;b>now&lt;/b>\n\n## Evidence')).toBe(true);
    expect(own).not.toContain('## Impact');
    expect(handOverWords(made())).not.toContain('## Evidence');
  });

  it('makes nothing but text of what data says: no HTML, link, picture, or broken table', () => {
    const bad =
      '<img src=x onerror=alert(1)> ![p](http://evil.example/x) [l](javascript:alert(1)) | a | `b` ```\n# head\n<!-- c -->';
    const tokens = markdown.parse(
      handOverMarkdown(made(USUAL_PARTS, { ...CONTENT, title: bad, team: bad, notes: '' }, [pin('p1', bad), pin('p2', bad)])),
      {},
    );
    const types = new Set(tokens.flatMap(({ type, children }) => [type, ...(children ?? []).map((it) => it.type)]));
    expect([...types].filter((it) => /html|image/.test(it))).toEqual([]);
    const links = tokens.flatMap(({ children }) => children ?? []).filter(({ type }) => type === 'link_open');
    for (const link of links) expect(link.attrGet('href')).toMatch(/^http:\/\/lantern\.example:4780\//);
    // Every row of a table has as many cells as its head.
    const rows = handOverMarkdown(made(USUAL_PARTS, CONTENT, [pin('p1', bad)]))
      .split('\n')
      .filter((line) => line.startsWith('| '));
    expect(rows.length).toBeGreaterThan(10);
  });
});

describe('a text from data in Markdown', () => {
  const shown = (source: string) => {
    const [, inline] = markdown.parse(source, {});
    return (inline?.children ?? []).map(({ type, content }) => (type === 'text' ? content : `{${type}}`)).join('');
  };

  it('reads as it was, whatever it is', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[\w`*[\]<>|~!#+.()&;:/\\ -]{1,40}$/), (text) => {
        fc.pre(text.trim() !== '');
        const plain = text.replace(/\s+/g, ' ').trim();
        const read = shown(plainInMarkdown(text).trim()).replaceAll('\u200b', '');
        // Emphasis by underscores shows the same letters, without the marks.
        fc.pre(!plain.includes('_'));
        expect(read).toBe(plain);
      }),
      { numRuns: 500 },
    );
  });

  it('stays in its cell', () => {
    const table = markdownTable(
      ['what', 'value'],
      [
        ['a | b', '1\n2'],
        ['`|`', '<td>'],
      ],
      [false, true],
    );
    const cells = markdown.parse(table, {}).filter(({ type }) => type === 'td_open');
    expect(cells).toHaveLength(4);
    expect(markdown.render(table)).not.toContain('<td><td>');
  });

  it('as a block of code is not ended by what it holds', () => {
    const text = 'SELECT 1;\n```\n<b>x</b>\n````\nend';
    const [block, ...rest] = markdown.parse(codeBlock(text), {});
    expect(rest).toEqual([]);
    expect([block.type, block.content]).toEqual(['fence', `${text}\n`]);
  });
});
