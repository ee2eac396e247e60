import type { SampledSecond } from '../../core/database/sampledSecond.ts';
import { packSeconds } from '../../formats/database/packSeconds.ts';
import { type Copy, copyOf } from '../database/copyRows.ts';
import type { ReadLog } from './logArrival.ts';

/** Moments in one block, at most: whoever looks at one second reads all of its block. */
const MOST_SECONDS = 120;

/** The sampled seconds among some log records, as blocks of one server each. */
export function sessionBlocks(logs: readonly { head: ReadLog; day: number }[]): Copy {
  const groups = new Map<string, { day: number; service: string; seconds: SampledSecond[] }>();
  for (const { head, day } of logs) {
    if (head.event?.table !== 'dbSecond') continue;
    const { statements: _, ...second } = head.event.row;
    const key = JSON.stringify([day, head.service, second.system, second.server]);
    const group = groups.get(key) ?? { day, service: head.service, seconds: [] };
    groups.set(key, group);
    group.seconds.push({ timeNs: head.time, ...second });
  }
  const rows = [...groups.values()].flatMap(({ day, service, seconds }) => {
    const inOrder = seconds.sort((a, b) => (a.timeNs < b.timeNs ? -1 : 1));
    const parts = Array.from({ length: Math.ceil(inOrder.length / MOST_SECONDS) }, (_, at) =>
      inOrder.slice(at * MOST_SECONDS, (at + 1) * MOST_SECONDS),
    );
    return parts.map((part) => [
      day,
      service,
      part[0].system,
      part[0].server,
      part[0].timeNs,
      part.at(-1)!.timeNs,
      part.length,
      part.reduce((sum, { sessions }) => sum + sessions.length, 0),
      packSeconds(part),
    ]);
  });
  return copyOf('db_block', ['day', 'service', 'system', 'server', 'first_ns', 'last_ns', 'seconds', 'samples', 'data'], rows);
}
