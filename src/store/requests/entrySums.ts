import { codesOf, numbersOf } from '../../core/columns/segment.ts';
import { addValue, emptySketch } from '../../core/measures/sketch.ts';
import { DURATION, ENTRY, OUTCOME, ROOT_FAILED, readOperation, USER } from '../../core/requests/requestColumns.ts';
import { operationIds } from '../dictionaries/dictionaries.ts';
import type { CallFigures } from '../rollups/operationFigures.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachEntered } from './eachEntered.ts';
import { eachRequest } from './requestScope.ts';

/** The requests that a filter leaves by their entry operation's id, where a request counts as failed when its root did. */
export async function entrySums(filter: TraceFilter): Promise<Map<number, CallFigures>> {
  const byId = new Map<number, CallFigures>();
  await eachEntered(filter, (id, _, ns, failed) => {
    if (id === undefined) return;
    let figures = byId.get(id);
    if (!figures) {
      figures = { calls: 0, failures: 0, okNs: 0, failedNs: 0, sketch: emptySketch() };
      byId.set(id, figures);
    }
    figures.calls++;
    if (failed) {
      figures.failures++;
      figures.failedNs += ns;
    } else figures.okNs += ns;
    addValue(figures.sketch, ns);
  });
  return byId;
}

interface HarmBound {
  readonly entryIds: readonly number[];
  readonly overNs: number;
}

/** How many users had a request of one of some entries that failed or took longer than a bound; those who are not named are not counted. */
export async function usersHarmed(filter: TraceFilter, bounds: readonly HarmBound[]): Promise<number[]> {
  return (await harmedUsers(filter, bounds)).map(({ size }) => size);
}

/** The same of all bounds together: who was harmed in two ways is one user. */
export async function usersHarmedByAny(filter: TraceFilter, bounds: readonly HarmBound[]): Promise<number> {
  return new Set((await harmedUsers(filter, bounds)).flatMap((users) => [...users])).size;
}

async function harmedUsers(filter: TraceFilter, bounds: readonly HarmBound[]): Promise<Set<string>[]> {
  if (bounds.length === 0) return [];
  const users = bounds.map(() => new Set<string>());
  // An entry may belong to several journeys.
  const boundsOf = new Map<number, number[]>();
  for (const [at, { entryIds }] of bounds.entries())
    for (const id of entryIds) boundsOf.set(id, [...(boundsOf.get(id) ?? []), at]);
  const idOf = await operationIds();
  await eachRequest(filter, ({ segment, rows }) => {
    const ns = numbersOf(segment, DURATION);
    const outcome = codesOf(segment, OUTCOME).values;
    const user = codesOf(segment, USER);
    const entry = codesOf(segment, ENTRY);
    const of = entry.texts.map((text) => boundsOf.get(idOf(readOperation(text)) ?? -1) ?? []);
    for (const row of rows) {
      if (user.values[row] === 0) continue;
      const failed = (outcome[row] & ROOT_FAILED) !== 0;
      for (const at of of[entry.values[row] - 1])
        if (failed || ns[row] > bounds[at].overNs) users[at].add(user.texts[user.values[row] - 1]);
    }
  });
  return users;
}
