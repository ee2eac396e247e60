import { group } from 'd3-array';
import { z } from 'zod';
import { ownFunctions } from '../../core/profile/ownFunctions.ts';
import type { StackSample } from '../../core/profile/stackSample.ts';
import { ledger } from '../../core/trace/time/ledger.ts';
import type { SamplesOfProfile } from '../../formats/otlp/record/profileSamples.ts';
import { samplesOfTrace } from '../../store/traces/profileSamples.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { traceIdText } from '../parameters.ts';
import { analyseTrace } from './analysis.ts';

export type TraceFunctions = z.output<typeof traceFunctions.answer>;

const MOST_FUNCTIONS = 12;
/** What tells where time went, the best first: CPU is one's own code alone, wall time may wait, too. */
const TYPES = ['cpu', 'wall'] as const;
/** From fewer samples nothing is said. */
const ENOUGH = 4;

export const traceFunctions = endpoint({
  path: '/api/traces/{traceId}/functions',
  least: 'reader',
  summary:
    'Into which functions the own code of a service goes on the critical path of a trace, by the samples that profilers took in its spans.',
  runs: 'analysis',
  query: z.strictObject({ traceId: traceIdText, party: z.string().min(1).max(300) }),
  answer: z.object({
    durationNs: z.number().meta({ description: 'Of own code on the critical path; what functions and the rest sum to.' }),
    type: z.enum(TYPES).nullable().meta({ description: 'What the samples measure; null where none were taken.' }),
    samples: z.int(),
    enough: z.boolean().meta({ description: 'Whether there are samples enough to divide the time by.' }),
    functions: z.array(
      z.object({
        name: z.string(),
        file: z.string(),
        line: z.number(),
        own: z.boolean().meta({ description: 'False for one of a library, with no own code above it.' }),
        below: z.string().nullable().meta({ description: 'The library function in which most of it was.' }),
        samples: z.int(),
        ns: z.number(),
      }),
    ),
    restNs: z.number().meta({ description: 'Of functions that are not listed.' }),
    unsampledNs: z.number().meta({ description: 'Of spans in which no sample was taken.' }),
  }),
  run: async ({ traceId, party }) => {
    const { trace, path, ledger: lines } = await analyseTrace(traceId);
    const line = lines.find((it) => it.kind === 'own' && it.party === party);
    if (!line) throw new ApiError(404, `No own code of ${party} is on the critical path of this trace.`);
    const nodes = line.nodes.map((node) => ({
      span: trace.nodes[node].span,
      ownNs: ofLine(
        ledger(
          trace,
          path.filter((it) => it.node === node),
        ),
        party,
      ),
    }));
    const profiles = await samplesOfTrace(
      traceId,
      nodes.map(({ span }) => span),
    );
    const type = TYPES.find((it) => profiles.some((profile) => profile.type === it && profile.samples.length > 0)) ?? null;
    const bySpan = group(samplesOf(profiles, type), ({ span }) => span?.spanId);
    const found = ownFunctions(nodes.map(({ span, ownNs }) => ({ ownNs, samples: bySpan.get(span.spanId) ?? [] })));
    const listed = found.functions.slice(0, MOST_FUNCTIONS);
    return {
      durationNs: line.durationNs,
      type,
      samples: found.samples,
      enough: found.samples >= ENOUGH,
      functions: listed.map(({ frame, ...it }) => ({ ...frame, ...it })),
      restNs: found.functions.slice(MOST_FUNCTIONS).reduce((sum, { ns }) => sum + ns, 0),
      unsampledNs: found.unsampledNs,
    };
  },
});

function samplesOf(profiles: readonly SamplesOfProfile[], type: string | null): StackSample[] {
  return profiles.flatMap((it) => (it.type === type ? it.samples : []));
}

function ofLine(lines: ReturnType<typeof ledger>, party: string): number {
  return lines.find((it) => it.kind === 'own' && it.party === party)?.durationNs ?? 0;
}
