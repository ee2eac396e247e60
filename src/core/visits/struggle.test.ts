import { describe, expect, it } from 'vitest';
import { VisitMaker } from '../../../tests/support/made/visitMaker.ts';
import { signsOf } from './struggle.ts';

const signs = (maker: VisitMaker) => signsOf(maker.events).map(({ kind, name, presses }) => `${kind}: ${name} × ${presses}`);

describe('signs of struggle', () => {
  it('knocking is three presses of one thing within two seconds', () => {
    const at = (gap: number) =>
      new VisitMaker()
        .add('page', 0, '/a', 300)
        .add('action', 1_000, 'pay', 5)
        .add('action', 1_000 + gap, 'pay', 5)
        .add('action', 1_000 + 2 * gap, 'pay', 5);
    expect(signs(at(900))).toEqual(['knocking: pay × 3']);
    expect(signs(at(1_100))).toEqual([]);
  });

  it('presses of two things are no knocking', () => {
    const maker = new VisitMaker()
      .add('page', 0, '/a', 300)
      .add('action', 0, 'pay', 5)
      .add('action', 300, 'back', 5)
      .add('action', 600, 'pay', 5);
    expect(signs(maker)).toEqual([]);
  });

  it('no answer is one sign for a run of presses without an effect', () => {
    const maker = new VisitMaker().add('page', 0, '/a', 300);
    for (let press = 0; press < 5; press++) maker.add('action', press * 500, 'search', null, { effect: 'none' });
    maker.add('action', 10_000, 'search', null, { effect: false });
    expect(signs(maker)).toEqual(['knocking: search × 5', 'no answer: search × 5', 'no answer: search × 1']);
  });

  it('a press whose effect is not reported is no sign', () => {
    expect(signs(new VisitMaker().add('page', 0, '/a', 300).add('action', 0, 'search'))).toEqual([]);
  });

  it('turned away is an error within a second after a press, or after its answer', () => {
    const soon = new VisitMaker()
      .add('page', 0, '/a', 1)
      .add('action', 0, 'pay', 10, { effect: 'mutation' })
      .add('error', 900, 'no card');
    expect(signs(soon)).toEqual(['turned away: pay × 1']);
    const late = new VisitMaker()
      .add('page', 0, '/a', 1)
      .add('action', 0, 'pay', 10, { effect: 'mutation' })
      .add('error', 1_500, 'no card');
    expect(signs(late)).toEqual([]);
    const answered = new VisitMaker()
      .add('page', 0, '/a', 1)
      .add('action', 0, 'pay', 6_000, { effect: 'request' })
      .add('error', 6_400, 'the company answered 503');
    expect(signs(answered)).toEqual(['turned away: pay × 1']);
  });

  it('that the sender found itself count where no press shows them', () => {
    expect(signs(new VisitMaker().add('page', 0, '/a', 1).add('struggle', 0, 'knocking', null, { element: 'pay' }))).toEqual([
      'knocking: pay × 1',
    ]);
  });
});
