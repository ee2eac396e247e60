import { describe, expect, it } from 'vitest';
import { VISIT_START, VisitMaker } from '../../../tests/support/made/visitMaker.ts';
import { accountLines, accountOf, waitedUs } from './account.ts';
import { LONGEST_VISIT_MS, SILENCE_MS, splitVisits } from './splitVisits.ts';
import { storyOf } from './story.ts';
import { partyCosts, visitOf } from './visitOf.ts';

const visit = (maker: VisitMaker) => visitOf('s1', 'quayside-web', 'guest-1', maker.events);

describe('the events of a session', () => {
  it('are two visits with half an hour of silence between them', () => {
    const at = (...times: number[]) => times.map((atMs) => ({ atMs }));
    expect(splitVisits(at(0, 1_000, SILENCE_MS + 1_000)).map((it) => it.length)).toEqual([2, 1]);
    expect(splitVisits(at(0, SILENCE_MS - 1)).map((it) => it.length)).toEqual([2]);
  });

  it('never make a visit of more than four hours', () => {
    const events = Array.from({ length: 20 }, (_, at) => ({ atMs: at * 20 * 60_000 }));
    const visits = splitVisits(events);
    expect(visits.length).toBe(1);
    expect(visits[0].at(-1)!.atMs).toBeLessThanOrEqual(LONGEST_VISIT_MS);
  });
});

const DEAD = new VisitMaker()
  .add('page', 0, '/sailings', 5_580, { 'request.ms': 150, 'response.ms': 50 })
  .add('resource', 200, 'https://tags.example/tag.js', 4_870, { party: 'third', bytes: 61_000 })
  .add('vital', 5_600, 'LCP', 5_000)
  .add('vital', 5_600, 'CLS', null, { value: 0.061 })
  .add('action', 6_000, 'search', 2_340, { effect: 'request', status: 200 }, 'f'.repeat(32))
  .add('page', 30_000, '/sailings/choose', 500)
  .add('action', 31_000, 'hold places', null, { effect: 'none' })
  .add('action', 31_500, 'hold places', null, { effect: 'none' })
  .add('action', 32_000, 'hold places', null, { effect: 'none' })
  .add('error', 32_040, 'beaconQueue is not defined', null, { stack: 'onHold (app/hold.js:88)' })
  .add('leave', 46_500, '')
  .about({ version: '2.31', region: 'Saltern', new: true, 'party size': '2 to 4' });

describe('a visit', () => {
  const it_ = visit(DEAD);

  it('has its views with vitals, signs and errors, and what is known of the visitor', () => {
    expect(it_.views.map(({ page, isLast, errors }) => [page, isLast, errors])).toEqual([
      ['/sailings', false, 0],
      ['/sailings/choose', true, 1],
    ]);
    expect(it_.views[0]).toMatchObject({ party: 'tags.example', vitals: { LCP: 5_000, CLS: 61 } });
    expect(it_.views[1].signs.map(({ kind }) => kind)).toEqual(['knocking', 'no answer', 'turned away']);
    expect(it_).toMatchObject({
      about: { version: '2.31', region: 'Saltern', browser: '' },
      isNew: true,
      more: [['party size', '2 to 4']],
    });
  });

  it('says what a third party cost a view', () => {
    expect(partyCosts(it_.views[0])).toEqual([
      { party: 'tags.example', requests: 1, failed: 0, bytes: 61_000, requestUs: 4_870_000, heldUs: 4_870_000, busyUs: 0 },
    ]);
  });

  it('is taken apart by who held the visitor up, side by side, adding up to the visit', () => {
    const held = accountOf(it_);
    expect(held[0].from).toBe(0);
    for (const [at, { from }] of held.entries()) if (at > 0) expect(from).toBe(held[at - 1].to);
    expect(held.at(-1)!.to).toBe(46_500_000);
    const lines = accountLines(held);
    expect(lines.reduce((sum, { us }) => sum + us, 0)).toBe(46_500_000);
    // From the first press without an effect to the end.
    expect(lines.filter(({ kind }) => kind === 'nothing').reduce((sum, { us }) => sum + us, 0)).toBe(15_500_000);
    expect(lines.find(({ kind }) => kind === 'answer')).toEqual({ kind: 'answer', party: '', us: 2_340_000 });
    expect(lines.find(({ kind }) => kind === 'third')).toMatchObject({ party: 'tags.example', us: 4_870_000 });
    expect(lines.at(-1)?.kind).toBe('visitor');
    expect(waitedUs(held)).toBe(46_500_000 - lines.at(-1)!.us);
  });

  it('is told line by line', () => {
    const lines = storyOf({
      from: it_.fromMs,
      to: it_.toMs,
      views: it_.views.map(({ page, atMs, readyUs, parts }) => ({ page, at: atMs, readyMs: readyUs! / 1_000, parts })),
      events: it_.events.map(({ atMs, ...rest }) => ({ at: atMs, ...rest })),
      signs: it_.signs.map(({ atMs, ...rest }) => ({ at: atMs, ...rest })),
      held: accountOf(it_),
    });
    expect(lines.map(({ lead, rest }) => `${lead} ${rest}`.trim())).toEqual([
      'Opens /sailings. Ready after 5.58 s; tags.example kept it for 4.87 s.',
      'Presses search. Answered after 2.34 s.',
      'Reads, chooses for 21.7 s.',
      'Opens /sailings/choose. Ready after 500 ms.',
      'Presses hold places 3 times in 1.00 s. No effect.',
      'An error. beaconQueue is not defined',
      'Leaves.',
    ]);
    expect(lines[4].sign).toBe('knocking');
    expect(lines[0].atMs).toBe(VISIT_START);
  });
});
