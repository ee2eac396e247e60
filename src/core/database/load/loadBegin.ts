import { type StepChange, stepChange } from '../../measures/stepChange.ts';
import { type LoadSeries, totalOf } from './load.ts';

/** When the load of a series moved to another level, epoch milliseconds; undefined when it did not, or gradually. Steps without samples are passed over. */
export function loadBegin({ from, stepMs, samples, counts }: LoadSeries): StepChange | undefined {
  return stepChange(
    samples.flatMap((taken, at) => (taken === 0 ? [] : { at: from + at * stepMs, value: totalOf(counts[at]) / taken })),
  );
}
