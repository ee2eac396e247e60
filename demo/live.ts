import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { z } from 'zod';
import { INCIDENTS } from './incidents/known.ts';
import type { Run } from './run.ts';
import { standInProbe } from './sending/probe.ts';
import { MS } from './simulation/units.ts';

/** Faults that were switched on, in a file that the live stand-in looks at. */
const faults = z.array(z.object({ id: z.string(), name: z.string(), fromMs: z.number(), untilMs: z.number() }));

function readFaults(file: string): z.output<typeof faults> {
  return existsSync(file) ? faults.parse(JSON.parse(readFileSync(file, 'utf8'))) : [];
}

/** Switches a fault on for so many milliseconds. @throws Error when there is none of that name */
export function inject(file: string, name: string, forMs: number, nowMs: number): void {
  if (!INCIDENTS.some(({ id }) => id === name))
    throw new Error(`no fault is called "${name}"; there are ${INCIDENTS.map(({ id }) => id).join(', ')}`);
  const all = readFaults(file).filter(({ untilMs }) => untilMs > nowMs);
  all.push({ id: `${name} ${nowMs}`, name, fromMs: nowMs, untilMs: nowMs + forMs });
  // Whoever reads it sees the old or the new, never a half.
  writeFileSync(`${file}.new`, JSON.stringify(all));
  renameSync(`${file}.new`, file);
}

interface LiveOptions {
  readonly run: Run;
  /** Where faults are switched on. */
  readonly control: string | undefined;
  /** Hands on what has come together since. */
  readonly flush: () => void;
  readonly room: () => Promise<void>;
  /** The application, whose questions are answered. */
  readonly to: string;
}

/** Goes on in real time: a second of the company's life in every second. */
export async function live({ run, control, flush, room, to }: LiveOptions): Promise<never> {
  void standInProbe({ to, world: run.world, flush });
  const seen = new Set<string>();
  for (let tick = 0; ; tick++) {
    const now = Date.now();
    run.advance(now);
    if (control) switchOn(run, control, seen, now);
    if (tick % 2 === 0) flush();
    await room();
    await sleep(Math.max(50, 1000 - (Date.now() - now)));
  }
}

function switchOn(run: Run, control: string, seen: Set<string>, now: number): void {
  for (const { id, name, untilMs } of readFaults(control)) {
    const incident = INCIDENTS.find((it) => it.id === name);
    if (!incident || seen.has(id) || untilMs <= now) continue;
    seen.add(id);
    const begin = run.world.simulation.now;
    run.unfold(incident.unfold, begin, begin + (untilMs - now) * MS, begin & 0x7fffffff);
  }
}
