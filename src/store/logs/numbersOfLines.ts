import { LRUCache } from 'lru-cache';
import { LineNumbers, type NumberPlace, percentilesOf, readWriter } from '../../core/logs/numbers/lineNumbers.ts';
import { holeAsOf } from '../../core/logs/template.ts';
import { NO_TEXT } from '../../core/logs/textQuery.ts';
import type { MeasureSeries } from '../../core/measures/measureSeries.ts';
import { lineMeasures } from '../settings/lineMeasures.ts';
import { eachLine, type LineScope, type LinesRead, type LineWork } from './logLines.ts';
import { type StoredShapes, storedShapes } from './shapes.ts';

const MINUTE_MS = 60_000;
/** Minutes that series of lines are made of at most; of more, several are one. */
const MOST_POINTS = 1_500;
/** Who asks for one service asks for others of the same windows. */
const remembered = new LRUCache<string, Promise<LineNumbers>>({ max: 16, ttl: 30_000 });

/** Where a number stands today. */
interface PlaceToday extends NumberPlace {
  /** Whether the shape is one as it was found: what it was joined to by hand has no such place. */
  readonly isAsFound: boolean;
}

/** Where a number stands, as lines are counted today; undefined when the shape has no such place. */
export function placeToday({ shape, hole }: NumberPlace, { counts }: StoredShapes): PlaceToday | undefined {
  const own = counts.template(shape);
  for (const id of [counts.countedAs(shape), counts.asFound(shape)]) {
    const template = counts.template(id);
    const today = own && template && holeAsOf(own, template, hole);
    if (today !== undefined) return { shape: id, hole: today, isAsFound: id !== counts.countedAs(shape) };
  }
  return undefined;
}

/** The numbers that lines of a scope say in one place, in stretches of equal length from the scope's beginning. */
export async function numbersOfLines(
  asked: NumberPlace,
  scope: LineScope,
  stretches: number,
  work: LineWork = {},
): Promise<{ numbers: LineNumbers; read: LinesRead }> {
  const from = Number(scope.from / 1_000_000n);
  const stepMs = Math.max(1, (Number(scope.to / 1_000_000n) - from) / stretches);
  for (let attempt = 1; ; attempt++) {
    let shapes = await storedShapes();
    const place = placeToday(asked, shapes) ?? { ...asked, isAsFound: false };
    const todayOf = (id: string) => (place.isAsFound ? shapes.counts.asFound(id) : shapes.counts.countedAs(id));
    const numbers = new LineNumbers(place, { from, stepMs, stretches });
    const read = await eachLine(
      { ...scope, shapes: [] },
      ({ segment, from: start, rows }) => {
        numbers.add(segment, Number(start / 1_000_000n), rows, (id) => {
          const counted = todayOf(id);
          const own = shapes.counts.own(id) ?? [''];
          return { id: counted, own, template: shapes.counts.template(counted) ?? own };
        });
        return undefined;
      },
      { ...work, onShapes: (it) => (shapes = it) },
    );
    // Building columns finds new shapes, and this one may have become another.
    if (todayOf(place.shape) === place.shape || attempt === MOST_ATTEMPTS) return { numbers, read };
  }
}

const MOST_ATTEMPTS = 3;

/** What somebody marked as a measure in the lines of a service, by the minute: the mean, the 95th percentile, and how many lines say it. */
export async function lineMeasuresOf(service: string, from: bigint, until: bigint): Promise<MeasureSeries[]> {
  const marked = await lineMeasures();
  const found: MeasureSeries[] = [];
  const minutes = Math.max(1, Math.ceil(Number((until - from) / 1_000_000n) / MINUTE_MS));
  // From whole minutes: those of metrics are.
  const start = from - (from % 60_000_000_000n);
  const stretches = Math.min(MOST_POINTS, minutes + 1);
  const together = Math.ceil((minutes + 1) / stretches);
  const to = start + BigInt(stretches * together) * 60_000_000_000n;
  const scope: LineScope = { from: start, to, where: [], severities: [], shapes: [], without: [], text: NO_TEXT };
  for (const { name, unit, shape, hole } of marked) {
    const numbers = await numbersOnce({ shape, hole }, scope, stretches);
    for (const [key, sums] of numbers.sums) {
      const of = readWriter(key);
      if (of.service !== service) continue;
      const points = (value: (sum: NonNullable<(typeof sums)[number]>) => number | null) =>
        sums.flatMap((it, at): [number, number][] => {
          const worth = it && value(it);
          return worth === undefined || worth === null ? [] : [[Number(start / 60_000_000_000n) + at * together, worth]];
        });
      const series = (part: string, own: string, value: Parameters<typeof points>[0]) =>
        found.push({ name, unit: own, attributes: { part }, ...of, host: '', points: points(value) });
      series('mean', unit, ({ sum, count }) => sum / count);
      series('p95', unit, (it) => percentilesOf(it).p95);
      series('lines', '{line}', ({ count }) => count / together);
    }
  }
  return found.filter(({ points }) => points.length > 0);
}

function numbersOnce(place: NumberPlace, scope: LineScope, stretches: number): Promise<LineNumbers> {
  const key = `${place.shape} ${place.hole} ${scope.from} ${scope.to}`;
  const known = remembered.get(key);
  if (known) return known;
  const work = numbersOfLines(place, scope, stretches).then(({ numbers }) => numbers);
  remembered.set(key, work);
  work.catch(() => remembered.delete(key));
  return work;
}
