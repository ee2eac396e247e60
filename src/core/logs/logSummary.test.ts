import { describe, expect, it } from 'vitest';
import { randomFrom } from '../../../tests/support/made/random.ts';
import { LogSegmentWriter } from './logColumns.ts';
import { generalValues, holePlan, LogSummary } from './logSummary.ts';
import { maskLine } from './maskLine.ts';
import { type Shape, ShapeTree } from './shapeTree.ts';
import { fill, HOLE } from './template.ts';

const FRAME = { stepMs: 60_000, litFrom: 0, litStretches: 10, beforeFrom: -1_200_000, beforeStretches: 20 };

interface Made {
  readonly ms: number;
  readonly severity: number;
  readonly service: string;
  readonly text: string;
  readonly route: string;
}

function summaryOf(lit: readonly Made[], before: readonly Made[]) {
  const tree = new ShapeTree();
  const summary = new LogSummary(FRAME);
  const last = (id: string): Shape => {
    const it = tree.changed.get(id)!;
    return it.countedAs === id ? it : last(it.countedAs);
  };
  const segments = (
    [
      ['lit', lit, 0],
      ['before', before, FRAME.beforeFrom],
    ] as const
  ).map(([side, lines, from]) => {
    const writer = new LogSegmentWriter();
    for (const [index, it] of lines.entries())
      writer.add(
        {
          time: (it.ms - from) * 1e6,
          severity: it.severity,
          service: it.service,
          instance: '',
          trace: Number.NaN,
          text: it.text,
          block: 1,
          index,
          attributes: new Map([['ferry.route', it.route]]),
        },
        tree.match(maskLine(it.text)),
      );
    return { side, segment: writer.finish(), from };
  });
  for (const { side, segment, from } of segments)
    summary.add(
      side,
      segment,
      from,
      Uint32Array.from({ length: segment.rows }, (_, at) => at),
      (id) => {
        const { id: counted, template } = last(id);
        return { id: counted, template, own: tree.changed.get(id)!.template };
      },
    );
  return { summary, tree };
}

function made(seed: number, count: number, from: number, span: number): Made[] {
  const { below, oneOf } = randomFrom(seed);
  return Array.from({ length: count }, () => {
    const route = oneOf(['tern', 'auk', 'heron']);
    const service = oneOf(['holds', 'fares']);
    return {
      ms: from + below(span),
      severity: oneOf([5, 9, 17]),
      service,
      text: service === 'holds' ? `hold on ${route} ends in ${below(900)} s` : `fare of ${route} read`,
      route,
    };
  });
}

describe('lines of two windows', () => {
  const lit = made(1, 500, 0, 600_000);
  const before = made(2, 800, FRAME.beforeFrom, 1_200_000);
  const { summary } = summaryOf(lit, before);

  it('are counted by severity and stretch as a recount says', () => {
    expect(summary.totals).toEqual({ lit: 500, before: 800 });
    for (const [severity, number] of [
      ['debug', 5],
      ['info', 9],
      ['error', 17],
    ] as const) {
      const again = Array.from(
        { length: 10 },
        (_, at) => lit.filter((it) => it.severity === number && Math.floor(it.ms / 60_000) === at).length,
      );
      expect([...summary.severities.get(severity)!.lit]).toEqual(again);
    }
  });

  it('are counted by shape, also those that matched a narrower one first', () => {
    const sums = [...summary.shapes.values()];
    expect(sums.length).toBe(2);
    const total = (of: Float64Array) => of.reduce((sum, it) => sum + it, 0);
    for (const sum of sums) {
      const [service] = sum.services.keys();
      expect(total(sum.lit)).toBe(lit.filter((it) => it.service === service).length);
      expect(total(sum.before)).toBe(before.filter((it) => it.service === service).length);
      // Each of the three routes stands in the hole, whichever template its line matched.
      const routes = sum.holes.find(({ values }) => values.has('tern'))!;
      expect([...routes.values.keys()].sort()).toEqual(['auk', 'heron', 'tern']);
    }
  });

  it('are counted by the values of their fields', () => {
    const route = summary.fields.get('ferry.route')!;
    for (const [value, counts] of route.values)
      expect(counts).toEqual([lit.filter((it) => it.route === value).length, before.filter((it) => it.route === value).length]);
  });
});

it('values that a stranger makes up are kept up to a bound, and counted beyond it', () => {
  const lines = Array.from({ length: 3_000 }, (_, at) => ({
    ms: at,
    severity: 9,
    service: 'x',
    text: `seen ${at}`,
    route: `r${at}`,
  }));
  const { summary } = summaryOf(lines, []);
  const route = summary.fields.get('ferry.route')!;
  expect(route.values.size).toBe(400);
  expect(route.others[0]).toBe(2_600);
});

describe('the values of a line by the holes of a more general shape', () => {
  it('are its own where the hole was one already, and its literal words where it was none', () => {
    const own = ['', 'mail', ' ', 'for', ' ', `lane-${HOLE}`, ' ', HOLE, ''];
    const general = ['', 'mail', ' ', 'for', ' ', HOLE, ' ', HOLE, ''];
    const values = generalValues(holePlan(own, general), ['11', 'OR7']);
    expect(values).toEqual(['lane-11', 'OR7']);
    expect(fill(general, values)).toBe(fill(own, ['11', 'OR7']));
    expect(generalValues(holePlan(['', 'a', ' ', 'b', ''], ['', 'a', ' ', HOLE, '']), [])).toEqual(['b']);
  });
});
