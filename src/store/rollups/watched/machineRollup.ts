import { sql } from 'drizzle-orm';
import type { CallSeries } from '../../../core/incidents/callSeries.ts';
import { measureSeries, watchedMeasures } from '../../../core/machines/watchedMeasures.ts';
import { SLOT_MINUTES, SLOT_NS, slotOfMinute } from '../../columns/slots.ts';
import { database } from '../../database/connection.ts';
import { internWatched } from '../../dictionaries/dictionaries.ts';
import { machineMeasures } from '../../machines/machineMeasures.ts';

/** Slots that are read in one round: the rest comes in the next ones. */
const MOST_SLOTS = 100;

/** Watched measures of machines by the minute, held in memory and brought up to date; only slots in which something came are read. */
export class MachineRollup {
  readonly #known = new Map<number, number>();
  readonly #values = new Map<number, Map<number, number>>();

  /** Reads what has come since the last time. @returns how many minutes changed */
  async refresh(fromMinute: number, toMinute: number): Promise<number> {
    const [first, last] = [slotOfMinute(fromMinute), slotOfMinute(toMinute)];
    for (const slot of this.#known.keys()) if (slot < first) this.#forget(slot);
    const { rows } = await database().execute(sql`SELECT slot, sum(changed)::float8 AS changed FROM machine_slot
      WHERE day BETWEEN ${Math.max(1, Math.floor(fromMinute / 1440))} AND ${Math.floor(toMinute / 1440)} AND slot BETWEEN ${first} AND ${last}
      GROUP BY 1 ORDER BY 1 DESC`);
    const changed = (rows as unknown as { slot: number; changed: number }[])
      .filter(({ slot, changed: times }) => this.#known.get(slot) !== times)
      .slice(0, MOST_SLOTS);
    for (const it of changed) await this.#read(it.slot, it.changed);
    return changed.length * SLOT_MINUTES;
  }

  async #read(slot: number, changed: number): Promise<void> {
    // What began in the slot before is seen by what it was then.
    const from = BigInt(slot - 1) * SLOT_NS;
    const measures = await machineMeasures(from, from + 2n * SLOT_NS);
    const { firstMinute } = measures;
    const watched = watchedMeasures(measures);
    const ids = await internWatched(watched.map(({ owner, name }) => ({ kind: 'metric', owner, name })));
    this.#forget(slot);
    this.#known.set(slot, changed);
    for (const [at, { values }] of watched.entries()) {
      const minutes = this.#values.get(ids[at]) ?? new Map<number, number>();
      this.#values.set(ids[at], minutes);
      for (let minute = SLOT_MINUTES; minute < 2 * SLOT_MINUTES; minute++)
        if (!Number.isNaN(values[minute])) minutes.set(firstMinute + minute, values[minute]);
    }
  }

  #forget(slot: number): void {
    this.#known.delete(slot);
    for (const minutes of this.#values.values())
      for (let at = 0; at < SLOT_MINUTES; at++) minutes.delete(slot * SLOT_MINUTES + at);
  }

  /** One measure by the minute. @param id of the dictionary of watched series */
  series(id: number, fromMinute: number, toMinute: number): CallSeries {
    return measureSeries(this.#values.get(id) ?? new Map(), fromMinute, toMinute);
  }
}
