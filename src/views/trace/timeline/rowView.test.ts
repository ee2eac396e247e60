import { scaleLinear } from 'd3-scale';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { TraceTimeline } from '../../../api/traces/timeline.ts';
import { barAt, eventsBySpan, labelAt, notesOf } from './rowView.ts';

describe('a bar', () => {
  const width = 500;
  const view = (from: number, to: number) => ({ x: scaleLinear([from, to], [0, width]), width });

  it('is cut to what is in sight, and out when none of it is', () => {
    expect(barAt(view(0, 1000), 100, 300)).toEqual({ left: 50, right: 150, out: false });
    expect(barAt(view(200, 400), 100, 300)).toEqual({ left: 0, right: 250, out: false });
    expect(barAt(view(400, 600), 100, 300)).toMatchObject({ out: true });
    expect(barAt(view(0, 50), 100, 300)).toMatchObject({ out: true });
  });

  it('never reaches beyond the picture, nor does its duration', () => {
    const time = fc.integer({ min: 0, max: 10_000 });
    fc.assert(
      fc.property(time, time, time, fc.integer({ min: 1, max: 5000 }), (a, b, from, shown) => {
        const bar = barAt(view(from, from + shown), Math.min(a, b), Math.max(a, b));
        expect(bar.left).toBeGreaterThanOrEqual(0);
        expect(bar.right).toBeLessThanOrEqual(width);
        expect(bar.left).toBeLessThanOrEqual(bar.right);
        if (bar.out) return;
        const { left, right, inside } = labelAt(bar, width);
        expect([left !== undefined, right !== undefined]).toContain(true);
        if (inside) expect(left).toBe(bar.right - 74);
        else if (left !== undefined) expect(left).toBeGreaterThan(bar.right);
        else expect(width - right!).toBeLessThan(bar.left);
      }),
    );
  });
});

const trace = {
  attempts: [{ tries: [3, 5, 8], madeGood: true }],
  cancelled: [5],
  gaveUp: [{ caller: 3, callee: 4, wentOnNs: 70 }],
  queues: [{ producer: 1, consumer: 9, destination: 'notice-queue', startNs: 0, endNs: 5 }],
  waits: [
    { span: 10, samples: 3, lock: 0.6, io: 0.2, event: 'transactionid' },
    { span: 11, samples: 3, lock: 0, io: 0.4, event: 'DataFileRead' },
    { span: 12, samples: 3, lock: 0, io: 0, event: '' },
  ],
  events: { span: [2, 7, 2], startNs: [1, 2, 3], name: [0, 0, 0] },
} as unknown as TraceTimeline;

describe('beside a name', () => {
  it('stands in few words what happened to it', () => {
    const { notes, tails } = notesOf(trace);
    expect(Object.fromEntries(notes)).toEqual({
      3: ['try 1 of 3', 'gave up'],
      4: ['given up'],
      5: ['try 2 of 3', 'cancelled'],
      8: ['try 3 of 3'],
      9: ['from a queue'],
      10: ['lock'],
      11: ['disk'],
    });
    expect(Object.fromEntries(tails)).toEqual({ 4: 70 });
  });

  it('stand the events of each span', () => {
    expect(Object.fromEntries(eventsBySpan(trace))).toEqual({ 2: [0, 2], 7: [1] });
  });
});
