import { sql } from 'drizzle-orm';
import { codesOf, numbersOf } from '../../../core/columns/segment.ts';
import type { CallSeries } from '../../../core/incidents/callSeries.ts';
import { shapeSeries } from '../../../core/incidents/shapeSeries.ts';
import { shapeSeriesName } from '../../../core/incidents/watchedSeries.ts';
import { SERVICE, SEVERITY, SHAPE, TIME } from '../../../core/logs/logColumns.ts';
import { templateText } from '../../../core/logs/template.ts';
import { logSegments } from '../../columns/logSegments.ts';
import { SLOT_MINUTES, SLOT_NS, slotOfMinute } from '../../columns/slots.ts';
import { database } from '../../database/connection.ts';
import { internWatched } from '../../dictionaries/dictionaries.ts';
import { storedShapes } from '../../logs/shapes.ts';

/** OpenTelemetry's number of the first severity that is an error. */
const ERROR = 17;
/** Slots that are read in one round: the rest comes in the next ones. */
const MOST_SLOTS = 100;
/** Slots whose columns are built for it, and for how long; others are waited for. */
const BUILT_SLOTS = 2;
const BUILD_MS = 3_000;
/** Shapes of a service that are watched, the most frequent ones. */
const MOST_SHAPES = 60;
/** Of fewer lines nothing can be told. */
const FEWEST_LINES = 6;

/** Lines of a service by the minute, counted from the first minute of their slot. */
interface SlotCounts {
  readonly changed: number;
  readonly lines: Map<string, Uint32Array>;
  /** Of each service, by the id that a segment has, the lines that are errors. */
  readonly errors: Map<string, Map<string, Uint32Array>>;
}

/** Message shapes of errors by the minute, beside all lines of their services; only slots in which lines came are read. */
export class ShapeRollup {
  readonly #slots = new Map<number, SlotCounts>();
  /** By id of the dictionary of watched series the service and the ids that are counted as its shape today. */
  #watched = new Map<number, { readonly service: string; readonly ids: readonly string[] }>();

  /** Reads what has come since the last time. @returns how many minutes changed */
  async refresh(fromMinute: number, toMinute: number): Promise<number> {
    const [first, last] = [slotOfMinute(fromMinute), slotOfMinute(toMinute)];
    for (const slot of this.#slots.keys()) if (slot < first) this.#slots.delete(slot);
    const { rows } = await database().execute(sql`SELECT slot, sum(changed)::float8 AS changed FROM log_slot
      WHERE day BETWEEN ${Math.max(1, Math.floor(fromMinute / 1440))} AND ${Math.floor(toMinute / 1440)} AND slot BETWEEN ${first} AND ${last}
      GROUP BY 1 ORDER BY 1 DESC`);
    const changed = (rows as unknown as { slot: number; changed: number }[])
      .filter(({ slot, changed: times }) => this.#slots.get(slot)?.changed !== times)
      .slice(0, MOST_SLOTS);
    let read = 0;
    for (const [at, it] of changed.entries()) if (await this.#read(it.slot, it.changed, at < BUILT_SLOTS)) read++;
    if (read > 0) await this.#name();
    return read * SLOT_MINUTES;
  }

  /** @returns whether the columns of the slot are current */
  async #read(slot: number, changed: number, mayBuild: boolean): Promise<boolean> {
    const from = BigInt(slot) * SLOT_NS;
    const counts: SlotCounts = { changed, lines: new Map(), errors: new Map() };
    let isCurrent = true;
    const work = {
      ...(mayBuild ? { buildMs: BUILD_MS } : { isOnlyCurrent: true }),
      onPassedOver: () => {
        isCurrent = false;
      },
    };
    for await (const { segment } of logSegments.read({ from, to: from + SLOT_NS }, work)) {
      const times = numbersOf(segment, TIME);
      const severity = codesOf(segment, SEVERITY).values;
      const service = codesOf(segment, SERVICE);
      const told = (await storedShapes()).counts.tellApart(segment);
      const shape = codesOf(told, SHAPE);
      const lines = service.texts.map((name) => minutesOf(counts.lines, name));
      for (let row = 0; row < segment.rows; row++) {
        const minute = Math.min(SLOT_MINUTES - 1, Math.floor(times[row] / 6e10));
        const of = service.values[row] - 1;
        if (of < 0) continue;
        lines[of][minute]++;
        if (severity[row] < ERROR || shape.values[row] === 0) continue;
        const name = service.texts[of];
        const errors = counts.errors.get(name) ?? new Map<string, Uint32Array>();
        counts.errors.set(name, errors);
        minutesOf(errors, shape.texts[shape.values[row] - 1])[minute]++;
      }
    }
    if (isCurrent) this.#slots.set(slot, counts);
    return isCurrent;
  }

  /** Finds out which shapes there are, as they are counted today. */
  async #name(): Promise<void> {
    const { counts } = await storedShapes();
    const services = new Map<string, Map<string, { lines: number; readonly ids: Set<string> }>>();
    for (const { errors } of this.#slots.values())
      for (const [service, shapes] of errors) {
        const known = services.get(service) ?? new Map<string, { lines: number; ids: Set<string> }>();
        services.set(service, known);
        for (const [id, minutes] of shapes) {
          const counted = counts.countedAs(id);
          const it = known.get(counted) ?? { lines: 0, ids: new Set<string>() };
          known.set(counted, it);
          it.ids.add(id);
          for (const lines of minutes) it.lines += lines;
        }
      }
    const all = [...services].flatMap(([service, shapes]) =>
      [...shapes]
        .filter(([, { lines }]) => lines >= FEWEST_LINES)
        .sort(([, a], [, b]) => b.lines - a.lines)
        .slice(0, MOST_SHAPES)
        .map(([id, { ids }]) => ({ service, id, ids: [...ids] })),
    );
    const named = all.map(({ service, id }) => ({
      kind: 'shape',
      owner: service,
      name: shapeSeriesName(id, templateText(counts.template(id) ?? [''])),
    }));
    const watched = await internWatched(named);
    this.#watched = new Map(all.map(({ service, ids }, at) => [watched[at], { service, ids }]));
  }

  /** One shape of a service by the minute. @param id of the dictionary of watched series */
  series(id: number, fromMinute: number, toMinute: number): CallSeries {
    const of = this.#watched.get(id);
    return shapeSeries(fromMinute, toMinute, (minute) => {
      const slot = of && this.#slots.get(slotOfMinute(minute));
      if (!slot) return undefined;
      const at = minute - slotOfMinute(minute) * SLOT_MINUTES;
      const errors = slot.errors.get(of.service);
      return {
        lines: slot.lines.get(of.service)?.[at] ?? 0,
        ofShape: of.ids.reduce((sum, it) => sum + (errors?.get(it)?.[at] ?? 0), 0),
      };
    });
  }
}

function minutesOf(by: Map<string, Uint32Array>, name: string): Uint32Array {
  const known = by.get(name);
  if (known) return known;
  const minutes = new Uint32Array(SLOT_MINUTES);
  by.set(name, minutes);
  return minutes;
}
