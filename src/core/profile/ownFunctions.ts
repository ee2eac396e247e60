import { hotLines } from './hotLines.ts';
import { type Frame, functionKey, type StackSample } from './stackSample.ts';

/** A span's own time on the critical path, and the samples that were taken in the span. */
export interface SampledSpan {
  readonly ownNs: number;
  readonly samples: readonly StackSample[];
}

/** A function of one's own code, and how much of the time was in it or in what libraries did for it. */
export interface OwnFunction {
  /** At the line with most of it. */
  readonly frame: Frame;
  readonly own: boolean;
  readonly below: string | null;
  readonly samples: number;
  readonly ns: number;
}

export interface OwnFunctions {
  /** The heaviest first. Their time and `unsampledNs` sum to the own time of all spans exactly. */
  readonly functions: readonly OwnFunction[];
  readonly samples: number;
  /** Of spans in which no sample was taken. */
  readonly unsampledNs: number;
}

/**
 * Into which functions the own time of spans goes. Each span's time is divided as its samples are: one in which more samples were taken says
 * more of its own time, and nothing of another's.
 */
export function ownFunctions(spans: readonly SampledSpan[]): OwnFunctions {
  const found = new Map<string, { -readonly [K in keyof OwnFunction]: OwnFunction[K] } & { heaviest: number }>();
  let samples = 0;
  let unsampledNs = 0;
  for (const span of spans) {
    const lines = hotLines(span.samples).filter(({ value }) => value > 0);
    if (lines.length === 0) {
      unsampledNs += span.ownNs;
      continue;
    }
    let leftNs = span.ownNs;
    for (const [at, { frame, own, below, share, ...line }] of lines.entries()) {
      // What rounding leaves is of the last.
      const ns = at === lines.length - 1 ? leftNs : Math.min(leftNs, Math.round(span.ownNs * share));
      leftNs -= ns;
      samples += line.samples;
      const key = functionKey(frame);
      const known = found.get(key) ?? { frame, own, below, samples: 0, ns: 0, heaviest: 0 };
      found.set(key, known);
      known.samples += line.samples;
      known.ns += ns;
      if (ns > known.heaviest) Object.assign(known, { heaviest: ns, frame, below });
    }
  }
  const functions = [...found.values()]
    .map(({ heaviest: _, ...it }) => it)
    .sort((a, b) => b.ns - a.ns || (a.frame.name < b.frame.name ? -1 : 1));
  return { functions, samples, unsampledNs };
}
