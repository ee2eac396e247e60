import { entriesOf, type Roots, textOf } from './files.ts';
import type { ProcessWatch } from './processes.ts';

/** Something that runs by itself at times. */
export interface Job {
  readonly name: string;
  readonly schedule: string;
  readonly command: string;
  /** The unit of systemd that it runs as; empty for a line of cron. */
  readonly unit: string;
}

/** A run that began, or is over. */
export interface JobTurn {
  readonly job: Job;
  readonly is: 'began' | 'done';
  /** How long it took, seconds, as far as looks tell. */
  readonly seconds: number;
}

const MOST_JOBS = 300;
const TIMERS = ['systemd/system'];
const CRON_TIME = /^(@\w+|(?:\S+\s+){4}\S+)\s+(.+)$/;

/** The jobs of a host: timers of systemd, and lines of cron. */
export function jobsOf({ etc, proc }: Roots): Job[] {
  return [...timers(etc), ...(etc === '/etc' ? timers('/usr/lib') : []), ...cronLines(etc, proc)].slice(0, MOST_JOBS);
}

function timers(root: string): Job[] {
  const found = new Map<string, Job>();
  for (const folder of TIMERS)
    for (const file of entriesOf(root, folder)) {
      if (!file.endsWith('.timer')) continue;
      const text = textOf(root, folder, file);
      const times = [...text.matchAll(/^\s*(On\w+)\s*=\s*(\S.*)$/gm)].map(([, name, value]) =>
        name === 'OnCalendar' ? value : `${name.slice(2)} ${value}`,
      );
      if (times.length === 0) continue;
      const unit = /^\s*Unit\s*=\s*(\S+)/m.exec(text)?.[1] ?? file.replace(/\.timer$/, '.service');
      const command = /^\s*ExecStart\s*=\s*(\S.*)$/m.exec(textOf(root, folder, unit))?.[1] ?? '';
      found.set(file, { name: file.replace(/\.timer$/, ''), schedule: times.join(', '), command, unit });
    }
  return [...found.values()];
}

function cronLines(etc: string, _proc: string): Job[] {
  const files: [text: string, hasUser: boolean][] = [
    [textOf(etc, 'crontab'), true],
    ...entriesOf(etc, 'cron.d').map((file): [string, boolean] => [textOf(etc, 'cron.d', file), true]),
    ...(etc === '/etc'
      ? entriesOf('/var/spool/cron/crontabs').map((user): [string, boolean] => [textOf('/var/spool/cron/crontabs', user), false])
      : []),
  ];
  return files.flatMap(([text, hasUser]) =>
    text.split('\n').flatMap((line) => {
      const match = /^\s*(#|$|\w+\s*=)/.test(line) ? null : CRON_TIME.exec(line.trim());
      if (!match) return [];
      const command = hasUser ? match[2].replace(/^\S+\s+/, '') : match[2];
      const program = command.match(/(?:^|[\s;&|])((?:\/[\w.-]+)+|[\w.-]+\.(?:sh|py|pl))/)?.[1] ?? command.split(/\s/)[0];
      return [
        {
          name: program.slice(program.lastIndexOf('/') + 1).slice(0, 100),
          schedule: match[1],
          command: command.slice(0, 500),
          unit: '',
        },
      ];
    }),
  );
}

/** Notices runs of jobs by the processes that are there at each look: what is shorter than the time between two may be missed. */
export class JobWatch {
  readonly #jobs: readonly Job[];
  #running = new Map<Job, number>();

  constructor(jobs: readonly Job[]) {
    this.#jobs = jobs;
  }

  /** @param nowMs by the same clock at each look */
  look(watch: ProcessWatch, nowMs: number): JobTurn[] {
    const now = new Set<Job>();
    const crons = new Set([...watch.present].filter(([, { name }]) => /^crond?$/i.test(name)).map(([pid]) => pid));
    for (const [pid, it] of watch.present) {
      const unit = it.group.slice(it.group.lastIndexOf('/') + 1);
      for (const job of this.#jobs) {
        if (now.has(job)) continue;
        if (job.unit !== '' ? job.unit === unit : isBelow(watch, pid, crons) && watch.commandOf(pid).includes(job.name))
          now.add(job);
      }
    }
    const turns: JobTurn[] = [];
    for (const job of now) {
      if (this.#running.has(job)) continue;
      this.#running.set(job, nowMs);
      turns.push({ job, is: 'began', seconds: 0 });
    }
    for (const [job, since] of this.#running) {
      if (now.has(job)) continue;
      this.#running.delete(job);
      turns.push({ job, is: 'done', seconds: (nowMs - since) / 1_000 });
    }
    return turns;
  }
}

/** Whether one of some processes started it, or what started it. */
function isBelow(watch: ProcessWatch, pid: number, some: ReadonlySet<number>): boolean {
  for (let at = watch.present.get(pid), steps = 0; at && steps < 20; at = watch.present.get(at.parent), steps++)
    if (some.has(at.parent)) return true;
  return false;
}
