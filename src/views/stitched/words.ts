import type { LogStitch } from '../../api/logs/stitch.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';

export type StitchClass = LogStitch['classes'][number];
export type StitchStep = LogStitch['steps'][number];

/** A step in few words: what never varies of its message. */
export function stepWords({ pieces }: Pick<StitchStep, 'pieces'>, most = 40): string {
  const text = pieces
    .map((it) => (typeof it === 'string' ? it : '…'))
    .join('')
    .split('\n', 1)[0]
    .replace(/\s+/g, ' ')
    .trim();
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
}

export function msWords(ms: number): string {
  return formatDuration(ms * 1e6);
}

/** What is not as usual: `mail … handed to the post, 60 min late`. */
export function classWords({ how, at, from, to }: StitchClass, steps: readonly StitchStep[], most = 40): string {
  const step = stepWords(steps[at], most);
  switch (how) {
    case 'late': {
      const [least, most] = [msWords(from ?? 0), msWords(to ?? 0)];
      return `${step}: ${least === most ? least : `${least} to ${most}`} late`;
    }
    case 'never':
      return `${step}: never`;
    case 'twice':
      return `${step}: more often than usual`;
    case 'order':
      return `${step}: too early`;
  }
}

/** What the page says first. */
export function stitchHeadline(answer: LogStitch): string {
  if (answer.key === null) return 'No key joins these lines';
  if (answer.groups === 0) return `No ${answer.key} went through the usual steps`;
  const name = answer.keys.find(({ name: it }) => it === answer.key)?.words ?? answer.key;
  if (answer.off === 0) return `All ${formatCount(answer.groups)} by ${name} took the usual path`;
  const chosen = answer.classes.find(({ id }) => id === answer.chosen);
  const told = chosen ? `; ${formatCount(chosen.groups)} of them: ${classWords(chosen, answer.steps, 60)}` : '';
  return `${formatCount(answer.off)} of ${formatCount(answer.groups)} left the usual path${told}`;
}
