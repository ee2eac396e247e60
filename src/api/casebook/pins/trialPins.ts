import { planTrial } from '../../planbench/trial.ts';
import { about, type PinSource, pinSource } from './pinSource.ts';

export const TRIAL_PINS = {
  trial: pinSource(planTrial, (it) => {
    const median = (runs: readonly number[]) => [...runs].sort((a, b) => a - b)[Math.floor(runs.length / 2)];
    const original = it.original && median(it.original.runs);
    return {
      title: `What makes the statement faster on ${it.server}`,
      about: about('database', [it.server]),
      evidence: [
        {
          form: 'parts',
          title: 'The median of all runs',
          unit: 'duration',
          whole: null,
          parts: [...(it.original ? [it.original] : []), ...it.alternatives].map((way) => ({
            name: way === it.original ? 'as it is' : way.words,
            note: way.verdict ? way.verdict.is : '',
            kind: '',
            value: inNs(median(way.runs)) ?? 0,
            before: way === it.original ? null : inNs(original),
          })),
        },
        { form: 'text', title: 'The statement', text: it.text },
        ...it.alternatives
          .filter(({ verdict }) => verdict?.is === 'better')
          .slice(0, 3)
          .map((way) => ({
            form: 'text' as const,
            title: way.words,
            text: [
              ...way.commands,
              ...Object.entries(way.settings).map(([name, value]) => `SET ${name} = ${value};`),
              way.shown,
            ].join('\n'),
          })),
      ],
    };
  }),
} satisfies Record<string, PinSource>;

const inNs = (ms: number | null | undefined) => (ms === null || ms === undefined ? null : ms * 1e6);
