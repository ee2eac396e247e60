import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { findShifts } from '../../src/core/incidents/shifts.ts';
import { seriesId, seriesName, seriesPath } from '../../src/core/incidents/watchedSeries.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { allWatched } from '../../src/store/dictionaries/dictionaries.ts';
import { ShapeRollup } from '../../src/store/rollups/watched/shapeRollup.ts';
import { type Installation, install } from '../support/installation.ts';
import {
  askLines,
  askOverview,
  before,
  count,
  FROM,
  LIT,
  lit,
  MINUTE,
  query,
  ROUTES,
  type Sent,
  sendLines,
  sent,
  sum,
  TO,
  textOf,
} from '../support/made/tideLines.ts';
import { getJson } from '../support/sending.ts';

/* What somebody decides about message shapes, what becomes of numbers in lines, and errors that are watched; held against what was sent. */

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  await sendLines(dusk.url);
});
afterAll(() => dusk?.stop());

const overview = (more = '') => askOverview(dusk.url, more);
const page = (more = '') => askLines(dusk.url, more);

describe('what somebody decides about shapes', () => {
  const decide = async (body: object) => {
    const answer = await fetch(`${dusk.url}/api/logs/shapes`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    return { status: answer.status, ...((await answer.json()) as { shapes?: string[]; error?: string }) };
  };
  const shapeOf = async (text: string) => {
    const found = (await overview()).shapes.find((it) => textOf(it) === text);
    if (!found) throw new Error(`no shape ${text}`);
    return found;
  };
  const read = 'window of … read, … points';

  it('tells lines apart by a value, in all that is stored, and takes it back', async () => {
    const shape = await shapeOf(read);
    const [route] = shape.holes;
    expect(route.top.map(({ value }) => value).sort()).toEqual([...ROUTES].sort());
    expect(await decide({ decide: 'apart', shape: shape.id, hole: 0, values: ['little-auk'] })).toMatchObject({ status: 200 });
    const auk = await shapeOf('window of little-auk read, … points');
    const isOf = (it: Sent) => it.severity === 5 && it.route === 'little-auk';
    expect([auk.lit, auk.before]).toEqual([count(lit, isOf), count(before, isOf)]);
    const rest = await shapeOf(read);
    expect([rest.lit, rest.toldApart]).toEqual([count(lit, (it) => it.severity === 5 && !isOf(it)), 1]);
    expect(auk.apartOf).toBe(read);
    const lines = await page(`&shape=${auk.id}&limit=50`);
    expect(lines.lines.length).toBe(50);
    expect(lines.lines.every((it) => it.shape === auk.id && /^window of little-auk read, \d+ points$/.test(it.text))).toBe(true);
    // What is left to vary has its own values.
    expect(lines.lines.every((it) => it.text.includes(`, ${it.values[0]} points`))).toBe(true);
    expect(await decide({ decide: 'as found', shape: auk.id })).toMatchObject({ status: 200, shapes: [shape.id] });
    expect((await shapeOf(read)).lit).toBe(shape.lit);
    // A link to it finds what it became.
    expect((await page(`&shape=${shape.id}&limit=1`)).lines.length).toBe(1);
  });

  it('counts shapes together, whatever their words, and takes it back', async () => {
    const [a, b] = [await shapeOf('hold released after … ms'), await shapeOf(read)];
    const together = await decide({ decide: 'together', shapes: [a.id, b.id] });
    expect(together).toMatchObject({ status: 200, shapes: [a.id] });
    const joint = await shapeOf('hold released after … ms');
    expect([joint.lit, joint.before]).toEqual([a.lit + b.lit, a.before + b.before]);
    expect(joint.joined).toEqual([read]);
    // The values are those of its own lines: the others have none there.
    expect(sum(joint.holes[0].top.map((it) => it.lit))).toBeLessThanOrEqual(a.lit);
    expect((await page(`&shape=${joint.id}&text=points&limit=1`)).lines.length).toBe(1);
    expect(await decide({ decide: 'together', shapes: [a.id, b.id] })).toMatchObject({
      status: 400,
      error: 'They are counted as one already.',
    });
    await decide({ decide: 'as found', shape: joint.id });
    expect([(await shapeOf('hold released after … ms')).lit, (await shapeOf(read)).lit]).toEqual([a.lit, b.lit]);
  });

  it('is refused in words when it cannot be', async () => {
    const { id } = await shapeOf(read);
    const refused = async (body: object, words: RegExp) => {
      const { status, error } = await decide(body);
      expect([status, error]).toEqual([400, expect.stringMatching(words)]);
    };
    await refused({ decide: 'apart', shape: id, hole: 0 }, /values are needed/);
    await refused({ decide: 'apart', shape: id, hole: 9, values: ['x'] }, /no such place|part of a word/);
    await refused({ decide: 'apart', shape: '0000000000000000', hole: 0, values: ['x'] }, /No message shape/);
    await refused({ decide: 'together', shapes: [id] }, /two are needed/);
    await refused({ decide: 'as found', shape: id }, /Nothing was decided/);
    await refused(
      { decide: 'apart', shape: id, hole: 0, values: Array.from({ length: 20 }, (_, n) => `r${n}\u0001`) },
      /control/,
    );
    expect(
      await decide({ decide: 'apart', shape: id, hole: 0, values: Array.from({ length: 20 }, (_, n) => `r${n}`) }),
    ).toMatchObject({
      status: 200,
    });
    await refused({ decide: 'apart', shape: id, hole: 0, values: ['one more'] }, /At most 20/);
    await decide({ decide: 'as found', shape: id });
  });
});

describe('the shape of an error', () => {
  it('is watched beside all lines of its service: a new one is a shift, from the minute in which it began', async () => {
    process.env.DATABASE_URL = dusk.cluster.url;
    const shapes = new ShapeRollup();
    const [first, last] = [FROM / MINUTE, TO / MINUTE - 1];
    expect(await shapes.refresh(first, last)).toBeGreaterThan(0);
    // Nothing has come since.
    expect(await shapes.refresh(first, last)).toBe(0);
    const watched = (await allWatched()).filter(({ kind }) => kind === 'shape');
    expect(watched.map(seriesName)).toEqual(['tidewatch “met-relay.example answered … to window of …: key k-… unknown”']);
    const series = shapes.series(seriesId(watched[0].key), first, last);
    const isOf = (it: Sent, minute: number) => it.service === 'tidewatch' && Math.floor(it.at / MINUTE) === minute;
    for (const [at, minute] of series.minutes.entries()) {
      const lines = sent.filter((it) => isOf(it, first + at));
      expect([minute?.calls ?? 0, minute?.failures ?? 0]).toEqual([lines.length, count(lines, (it) => it.severity === 17)]);
    }
    const [shift, ...others] = findShifts(series);
    expect(others).toEqual([]);
    const began = Math.min(...sent.filter((it) => it.severity === 17).map(({ at }) => at)) / MINUTE;
    expect(Math.abs(shift.firstMinute - began)).toBeLessThanOrEqual(2);
    expect(shift.usual).toBe(0);
    // It opens on its lines.
    const path = new URL(seriesPath(watched[0]), dusk.url);
    const { lines } = await page(`&shape=${path.searchParams.get('shape')}&limit=1`);
    expect(lines[0].text).toMatch(/^met-relay.example answered 403/);
    await closeConnections();
  });
});

describe('numbers that lines say', () => {
  const released = sent.filter(({ text }) => text.startsWith('hold released'));
  const numberOf = ({ text }: Sent) => Number(/\d+/.exec(text)![0]);

  it('are summed over time as they were sent, with the unit beside them', async () => {
    const shape = (await overview()).shapes.find((it) => textOf(it) === 'hold released after … ms')!;
    const answer = await getJson(dusk.url, `/api/logs/numbers?${query()}&of=${shape.id}&hole=0`);
    const own = released.filter(({ at }) => at >= LIT).map(numberOf);
    expect(answer.unit).toBe('ms');
    expect(answer.litWhole).toMatchObject({
      count: own.length,
      sum: sum(own),
      least: Math.min(...own),
      most: Math.max(...own),
    });
    const sorted = own.toSorted((a, b) => a - b);
    expect(Math.abs(answer.litWhole.p95 / sorted[Math.ceil(own.length * 0.95) - 1] - 1)).toBeLessThan(0.03);
    expect(sum(answer.lit.map((it: { count: number } | null) => it?.count ?? 0))).toBe(own.length);
    expect(answer.beforeWhole.count).toBe(released.length - own.length);
    expect(answer.noNumbers).toBe(0);
  });

  it('become a measure of the service that writes them, over all that is stored', async () => {
    const shape = (await overview()).shapes.find((it) => textOf(it) === 'hold released after … ms')!;
    const put = async (measures: object[]) => {
      const answer = await fetch(`${dusk.url}/api/logs/measures`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ measures }),
      });
      return { status: answer.status, said: await answer.json() };
    };
    const measure = { name: 'holds.release', unit: 'ms', shape: shape.id, hole: 0 };
    expect(await put([measure, measure])).toMatchObject({
      status: 400,
      said: { error: 'Two measures are called holds.release.' },
    });
    expect(await put([{ ...measure, hole: 7 }])).toMatchObject({ status: 400 });
    expect(await put([measure])).toMatchObject({ status: 200, said: { measures: [measure] } });
    const measured = async (service: string) =>
      (
        (await getJson(dusk.url, `/api/services/${service}/measures?${query()}`)).measures as {
          name: string;
          detail: string;
          unit: string;
          lines: { lit: [number, number][] }[];
        }[]
      ).filter(({ name }) => name === 'holds.release');
    const found = await measured('holds');
    expect(found.map(({ detail, unit }) => [detail, unit]).sort()).toEqual([
      ['lines', '{line}'],
      ['mean', 'ms'],
      ['p95', 'ms'],
    ]);
    const mean = found.find(({ detail }) => detail === 'mean')!.lines[0].lit;
    for (const [at, value] of mean.slice(0, 5)) {
      const own = released.filter((it) => it.at >= at && it.at < at + MINUTE).map(numberOf);
      expect(value).toBeCloseTo(sum(own) / own.length, 6);
    }
    expect(await measured('tidewatch')).toEqual([]);
    // What the shape is counted together with by hand says nothing of it.
    const decide = (body: object) =>
      fetch(`${dusk.url}/api/logs/shapes`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
    const other = (await overview()).shapes.find((it) => textOf(it).startsWith('met-relay'))!;
    expect((await decide({ decide: 'together', shapes: [other.id, shape.id] })).status).toBe(200);
    const later = await getJson(dusk.url, `/api/logs/numbers?${query()}&of=${shape.id}&hole=0&severity=info`);
    expect(later.litWhole.count).toBe(released.filter(({ at }) => at >= LIT).length);
    expect((await decide({ decide: 'as found', shape: other.id })).status).toBe(200);
    await put([]);
    expect(await measured('holds')).toEqual([]);
  });
});
