import type pg from 'pg';
import type { Signal } from '../../formats/otlp/wire/messages.ts';
import type { RecordGroup } from '../../formats/otlp/wire/request.ts';
import { type Arrival, type ArrivalBlock, blockRows, packBlocks } from '../blocks/packBlocks.ts';
import { type Copy, copyRows } from '../database/copyRows.ts';
import { dayOf, reassignDays } from '../retention/days.ts';
import { type Committed, commitBatch, MOST_TRIES, type PreparedRequest } from './commitBatch.ts';

/** An independent record: nothing that came before or comes after changes it. */
export interface ReadRecord<Head> {
  readonly head: Head;
  readonly time: bigint;
  /** The last time it speaks of, where that is another. */
  readonly lastTime?: bigint;
  readonly group: RecordGroup;
  readonly record: Uint8Array;
}

export interface RecordArrival<Head> extends Arrival {
  readonly head: Head;
}

/** The records of a request on their days, packed into blocks. */
export interface PreparedRecords<Head> {
  readonly arrivals: readonly RecordArrival<Head>[];
  /** Of those that are stored as they came. */
  readonly blocks: readonly ArrivalBlock<RecordArrival<Head>>[];
  readonly isRaw: (head: Head) => boolean;
  readonly beside: Uint8Array;
}

const BLOCK_TABLES = { logs: 'log_block', metrics: 'metric_block', profiles: 'profile_block' } as const;
type SelfContained = Exclude<Signal, 'traces'>;

/**
 * All that can be done for the records of a request before they are written.
 *
 * @param isRaw whether a record is stored as it came; else what is derived from it holds all of it
 * @param beside what each block carries beside its resources
 */
export async function prepareRecords<Head>(
  signal: SelfContained,
  records: readonly ReadRecord<Head>[],
  hash: string,
  { isRaw = () => true, beside = new Uint8Array(0) }: { isRaw?: (head: Head) => boolean; beside?: Uint8Array } = {},
): Promise<PreparedRecords<Head>> {
  const placed = await reassignDays(
    signal,
    records.map(({ time }) => dayOf(time)),
  );
  const arrivals = records.map(({ head, time, lastTime, group, record }) => ({
    head,
    group,
    record,
    firstNs: time,
    lastNs: lastTime,
    day: placed(dayOf(time)),
  }));
  const blocks = packBlocks(
    arrivals.filter(({ head }) => isRaw(head)),
    hash,
    1,
    beside,
  );
  return { arrivals, blocks, isRaw, beside };
}

/**
 * A writer for a signal whose records are independent: keeps the blocks of some requests, and what `derive` makes of them, in one
 * transaction.
 */
export function recordWriter<Head>(
  signal: SelfContained,
  derive: (
    blocks: readonly ArrivalBlock<RecordArrival<Head>>[],
    client: pg.PoolClient,
    arrivals: readonly RecordArrival<Head>[],
  ) => Promise<readonly Copy[]>,
): (requests: readonly PreparedRequest<PreparedRecords<Head>>[]) => Promise<Committed[]> {
  return (requests) =>
    commitBatch(requests, async (client, fresh, attempt) => {
      const blocks: ArrivalBlock<RecordArrival<Head>>[] = [];
      const all: RecordArrival<Head>[] = [];
      for (const { body, prepared } of fresh) {
        // A day may have been dropped, or an id of a block been taken, since they were packed.
        if (attempt > 1) {
          const placed = await reassignDays(
            signal,
            prepared.arrivals.map(({ firstNs }) => dayOf(firstNs)),
          );
          const again = prepared.arrivals.map((arrival) => ({ ...arrival, day: placed(dayOf(arrival.firstNs)) }));
          const raw = again.filter(({ head }) => prepared.isRaw(head));
          blocks.push(...packBlocks(raw, body.hash, MOST_TRIES + attempt, prepared.beside));
          for (const it of again) all.push(it);
        } else {
          blocks.push(...prepared.blocks);
          for (const it of prepared.arrivals) all.push(it);
        }
      }
      await copyRows(client, [blockRows(BLOCK_TABLES[signal], blocks), ...(await derive(blocks, client, all))]);
    });
}
