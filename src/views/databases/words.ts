import type { DatabaseList } from '../../api/databases/list.ts';
import type { DatabaseServer } from '../../api/databases/server.ts';
import { totalOf } from '../../core/database/load/load.ts';
import { CLASS_WORDS } from '../../core/database/waitClasses.ts';
import { atWork, changeWords, formatSessions, type LoadWords, type RootWords, topClass } from '../../core/database/words.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { clockTime, withinRange } from '../../core/time/clock.ts';
import type { State } from '../../ui/list/StateGlyph.tsx';

export type ListedServer = DatabaseList['servers'][number];

/** The state that a server's load has against before. */
export function stateOf({ move, lit }: Pick<ListedServer, 'move' | 'lit'>): State {
  if (!lit || move === 'unknown') return 'unknown';
  return move === 'up' ? 'strained' : 'calm';
}

/** The headline over all servers: the worst one, in a sentence. */
export function databasesHeadline({ servers }: DatabaseList): string {
  if (servers.length === 0) return 'No database server is sampled';
  const worse = servers.filter(({ move }) => move === 'up');
  if (worse.length > 0) return headlineOf(worse[0]);
  const known = servers.filter(({ move }) => move !== 'unknown');
  if (known.length === 0)
    return `${servers.length === 1 ? '1 server' : `${servers.length} servers`}; nothing to hold them against yet`;
  const fewer = servers.filter(({ move }) => move === 'down').length;
  return fewer > 0
    ? `No server has more to do than before; ${fewer} ${fewer === 1 ? 'has' : 'have'} less`
    : `No server has more to do than before`;
}

function headlineOf({ name, lit, before }: ListedServer): string {
  const top = lit && topClass(lit.byClass);
  const change = `${name}: ${changeWords(before?.byClass ?? null, lit?.byClass ?? null)}`;
  return top ? `${change}, ${formatShare(top.share)} of it ${CLASS_WORDS[top.waitClass].short}` : change;
}

/** What is to be said of the others, under the headline. */
export function othersLine({ servers }: DatabaseList): string {
  const words = servers.slice(1).flatMap(({ name, move, lit, before }) => {
    if (move === 'up') return [`${name} has more to do, too: ${changeWords(before?.byClass ?? null, lit?.byClass ?? null)}`];
    return [];
  });
  const still = servers.filter(({ move }) => move === 'flat').map(({ name }) => name);
  if (still.length > 0 && still.length <= 4) words.push(`${still.join(', ')} did not move`);
  else if (still.length > 4) words.push(`${still.length} others did not move`);
  return words.length > 0 ? `${words.join('. ')}.` : '';
}

/** "1.3 of 4 cores at work, so not CPU" */
export function coresLine({ lit, cores }: Pick<ListedServer, 'lit' | 'cores'>): string {
  if (!lit || cores === 0) return '';
  const busy = lit.byClass[0];
  const share = busy / cores;
  const words = `${formatSessions(busy)} of ${cores} cores computing`;
  if (share >= 0.8) return `${words}: nearly full`;
  return share < 0.5 && totalOf(lit.byClass) > 2 * atWork(lit.byClass) ? `${words}, so it is not the CPU` : words;
}

export function sinceLine(
  { since, move, worst }: Pick<ListedServer, 'since' | 'move' | 'worst'>,
  zone: string,
  now: number,
): string {
  if (worst) return `${formatSessions(worst.value)} sessions ${withinRange(worst.from, worst.to, zone, now)}`;
  return since === null ? '' : `${move === 'down' ? 'less' : 'more'} since ${clockTime(since, zone, true)}`;
}

type Root = DatabaseServer['blocking']['roots'][number];

/** What is known of a server's load, for its sentences. */
export function loadWords(
  name: string,
  { move, lit, before, cores }: Pick<ListedServer, 'move' | 'lit' | 'before' | 'cores'>,
): LoadWords {
  return { name, move, cores, lit: lit?.byClass ?? null, before: before?.byClass ?? null };
}

/** The session behind which most waiting hangs, for a sentence; undefined when nobody waited for another. */
export function rootWords({ roots, waitedMs }: DatabaseServer['blocking']): RootWords | undefined {
  const [root] = roots;
  return root && { ...root, share: waitedMs === 0 ? 0 : root.waitedMs / waitedMs };
}

/** A time in words, rounded down to what can be said of samples a second apart: "9 min 50 s", "48 s". */
export function ageWords(ms: number): string {
  const seconds = Math.floor(ms / 1000);
  if (seconds < 1) return `${Math.round(ms)} ms`;
  if (seconds < 60) return `${seconds} s`;
  const minutes = Math.floor(seconds / 60);
  if (minutes < 60) return seconds % 60 === 0 ? `${minutes} min` : `${minutes} min ${seconds % 60} s`;
  const hours = Math.floor(minutes / 60);
  return minutes % 60 === 0 ? `${hours} h` : `${hours} h ${minutes % 60} min`;
}

/** Who a session is, by what it says of itself. */
export function whoIs({ program, user, session }: Pick<Root, 'program' | 'user' | 'session'>): string {
  return program || user || `session ${session}`;
}

/** The text to hand over about the root of a blocking tree. */
export function handOver(server: string, root: Root, zone: string, link: string): string {
  return [
    `${whoIs(root)} (session ${root.session}, user ${root.user || 'unknown'}, from ${root.client || 'unknown'}) blocks others on ${server}.`,
    `Seen from ${clockTime(root.firstMs, zone, true)} to ${clockTime(root.lastMs, zone, true)}; up to ${root.most} sessions waited at once, ${ageWords(root.waitedMs)} in all.`,
    root.idleShare >= 0.5
      ? `It held its transaction open without running anything for ${formatShare(Math.min(1, root.idleShare))} of that time. Its last statement:`
      : 'Its statement:',
    root.text || '(text unknown)',
    link,
  ].join('\n');
}
