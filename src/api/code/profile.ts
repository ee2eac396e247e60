import { z } from 'zod';
import { callTree, type PairedStack } from '../../core/profile/callTree.ts';
import { type FunctionSum, functionSums } from '../../core/profile/functionSums.ts';
import { lineCosts } from '../../core/profile/lineCosts.ts';
import { ownFrames } from '../../core/profile/ownRules.ts';
import { ProfileSegmentWriter, profileRows } from '../../core/profile/profileColumns.ts';
import { type Frame, functionKey } from '../../core/profile/stackSample.ts';
import { StackSums } from '../../core/profile/stackSums.ts';
import type { SpanId, TraceId } from '../../core/trace/span.ts';
import { readSpans } from '../../store/blocks/readTrace.ts';
import { readOwnRules } from '../../store/profiles/ownRules.ts';
import { serviceTotals } from '../../store/profiles/serviceTotals.ts';
import { sourceFiles } from '../../store/profiles/sources.ts';
import { stackSums } from '../../store/profiles/stackSums.ts';
import { handledBetween } from '../../store/rollups/traffic.ts';
import { samplesOfSpan } from '../../store/traces/profileSamples.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { codeParameters, sideAnswer, sidesOf } from './codeParameters.ts';

export type CodeProfile = z.output<typeof codeProfile.answer>;

/** Functions that are listed; the others are counted. */
const MOST_FUNCTIONS = 200;
const MOST_CALLERS = 12;

const frameAnswer = z.object({ name: z.string(), file: z.string(), line: z.int(), own: z.boolean() });
const pair = z.object({ lit: z.number(), before: z.number() });

export const codeProfile = endpoint({
  path: '/api/code/profile',
  least: 'reader',
  summary:
    'What profilers saw in a service: its calls as a tree, functions by their own and whole cost, the source of one with the cost of each line, lit against before or version against version.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    ...codeParameters,
    span: z
      .string()
      .regex(/^(?:[0-9a-f]{32}\/[0-9a-f]{16})?$/, 'trace/span is expected, in hex')
      .default('')
      .meta({
        description: 'Only what was sampled within one span, as `trace/span`.',
      }),
    direction: z.enum(['down', 'up']).default('down').meta({
      description: 'From the entry down to what computes, or from what computes up to who called it.',
    }),
    by: z.enum(['function', 'line', 'package']).default('function').meta({ description: 'What is one box of the tree.' }),
    function: z.string().max(2_000).default('').meta({
      description: 'The function whose source and callers are wanted, as `name|file`; the one that grew most by default.',
    }),
  }),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    service: z.string().meta({ description: 'Empty when no service was profiled in these windows.' }),
    type: z.string(),
    unit: z.string(),
    lit: sideAnswer,
    before: sideAnswer,
    reference: z.string().meta({ description: '`before`, or the version that is held against.' }),
    services: z.array(z.object({ service: z.string(), lit: sideAnswer, before: sideAnswer })),
    types: z.array(z.string()),
    versions: z.array(z.object({ value: z.string(), lit: z.number(), before: z.number() })),
    operations: z.array(z.object({ value: z.string(), lit: z.number(), before: z.number() })),
    instances: z.array(z.object({ value: z.string(), lit: z.number(), before: z.number() })),
    tree: z.object({
      frames: z.array(frameAnswer),
      frame: z.array(z.int()),
      parent: z.array(z.int()),
      lit: z.array(z.number()),
      before: z.array(z.number()),
      leftOut: z.object({ nodes: z.int(), lit: z.number(), before: z.number() }),
    }),
    functions: z.array(
      z.object({ name: z.string(), file: z.string(), line: z.int(), own: z.boolean(), self: pair, total: pair }),
    ),
    moreFunctions: z.int(),
    grown: z.string().meta({ description: 'The own function whose own share grew most, as `name|file`; empty for none.' }),
    chosen: z
      .object({
        name: z.string(),
        file: z.string(),
        line: z.int(),
        own: z.boolean(),
        self: pair,
        total: pair,
        way: z.array(frameAnswer).meta({ description: 'The heaviest way down to it, the entry first.' }),
        callers: z.array(z.object({ name: z.string(), file: z.string(), line: z.int(), ...pair.shape })),
        operations: z.array(z.object({ value: z.string(), lit: z.number() })).meta({ description: 'Whose requests pay for it.' }),
        source: z
          .object({
            file: z.string(),
            version: z.string(),
            ran: z.string().meta({ description: 'The version that ran; another one than that of the source is to be said.' }),
            text: z.string(),
            /** The source that the reference ran, where it is another. */
            former: z.string().nullable(),
            formerVersion: z.string(),
            lines: z.array(z.object({ line: z.int(), total: pair, self: pair })),
          })
          .nullable(),
      })
      .nullable(),
  }),
  run: async ({
    service: asked,
    span,
    type,
    version,
    against,
    instance,
    operation,
    direction,
    by,
    function: wanted,
    ...query
  }) => {
    const { lit, before } = await windowsOf(query);
    const beside = against === '' ? before : lit;
    const [rules, totals, totalsBefore, handled, handledBefore] = await Promise.all([
      readOwnRules(),
      serviceTotals(lit.from, lit.to, type),
      serviceTotals(before.from, before.to, type),
      handledBetween(lit.from, lit.to),
      handledBetween(before.from, before.to),
    ]);
    const isOwn = ownFrames(rules);
    const sideOf = (totalsOf: typeof totals, calls: typeof handled, of: string) => ({
      value: totalsOf.get(of)?.value ?? 0,
      count: totalsOf.get(of)?.count ?? 0,
      requests: calls.get(of)?.calls ?? 0,
    });
    const services = [...new Set([...totals.keys(), ...totalsBefore.keys()])]
      .map((of) => ({ service: of, lit: sideOf(totals, handled, of), before: sideOf(totalsBefore, handledBefore, of) }))
      .sort((a, b) => growthOf(b) - growthOf(a) || b.lit.value - a.lit.value);
    const service = asked || (services[0]?.service ?? '');
    const filter = { type, instance: instance || undefined, operation: operation || undefined };
    const [sums, former] = await Promise.all([
      span === ''
        ? stackSums(lit.from, lit.to, service || ' ', { ...filter, version: version || undefined })
        : sumsOfSpan(span, type),
      stackSums(beside.from, beside.to, service || ' ', { ...filter, version: against || undefined }),
    ]);
    const stacks = pairedStacks(sums, former);
    const functions = functionSums(stacks);
    const tree = callTree(stacks, { direction, by });
    const grown = mostGrown(functions, sums.total, former.total, isOwn);
    const chosen = functions.find((it) => keyOf(it) === wanted) ?? grown ?? functions.find((it) => isOwn(it));
    const [, unit = ''] = type.split(' ');
    const described = (frame: Frame) => ({ ...frame, own: isOwn(frame) });
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(beside),
      service,
      type: type.split(' ')[0],
      unit,
      lit: sidesOf(sums, span || filter.operation || version || filter.instance ? 0 : (handled.get(service)?.calls ?? 0)),
      before: sidesOf(former, filter.operation || against || filter.instance ? 0 : (handledBefore.get(service)?.calls ?? 0)),
      reference: against || 'before',
      services,
      types: [...new Set([...sums.types.keys(), ...former.types.keys()])].sort(),
      versions: paired(sums.versions, former.versions),
      operations: paired(sums.operations, former.operations),
      instances: paired(sums.instances, former.instances),
      tree: { ...tree, frames: tree.frames.map(described) },
      functions: functions.slice(0, MOST_FUNCTIONS).map((it) => ({ ...it, own: isOwn(it) })),
      moreFunctions: Math.max(0, functions.length - MOST_FUNCTIONS),
      grown: grown ? keyOf(grown) : '',
      chosen: chosen
        ? {
            ...chosen,
            own: isOwn(chosen),
            way: wayTo(stacks, chosen).map(described),
            callers: callersOf(stacks, chosen),
            operations: operationsOf(sums, chosen),
            source: await sourceOf(service, chosen, stacks, version || mostOf(sums.versions), against || mostOf(former.versions)),
          }
        : null,
    };
  },
});

/** What was sampled within a span. */
async function sumsOfSpan(reference: string, type: string): Promise<StackSums> {
  const sums = new StackSums();
  const [traceId, spanId] = reference.split('/') as [TraceId, SpanId];
  const [span] = await readSpans(traceId, spanId);
  if (!span) throw new ApiError(404, `Span ${spanId} of trace ${traceId} is not kept.`);
  const of = { time: 0, period: 0, version: String(span.resource['service.version'] ?? ''), instance: '' };
  const writer = new ProfileSegmentWriter();
  for (const { type: measured, unit, samples } of await samplesOfSpan(span)) writer.add({ ...of, type: measured, unit }, samples);
  sums.add(profileRows(writer.finish()), 0, 1, { type });
  return sums;
}

function growthOf({
  lit,
  before,
}: {
  lit: { value: number; requests: number };
  before: { value: number; requests: number };
}): number {
  if (lit.requests === 0 || before.requests === 0) return 0;
  // What more is computed than the same requests took before.
  return lit.value - (before.value / before.requests) * lit.requests;
}

function keyOf({ name, file }: Pick<Frame, 'name' | 'file'>): string {
  return functionKey({ name, file }).replace('\t', '|');
}

/** The stacks of both sides as one list: one that both have stands once. */
function pairedStacks(lit: StackSums, before: StackSums): PairedStack[] {
  const found = new Map<string, { frames: Frame[]; lit: number; before: number }>();
  for (const [side, sums] of [
    ['lit', lit],
    ['before', before],
  ] as const) {
    const { frames } = sums;
    for (const stack of sums.stacks) {
      const own = stack.frames.map((at) => frames[at]);
      const key = own.map(({ name, file, line }) => `${name}\t${file}\t${line}`).join('\n');
      const known = found.get(key) ?? { frames: own, lit: 0, before: 0 };
      known[side] += stack.value;
      found.set(key, known);
    }
  }
  return [...found.values()];
}

function mostGrown(
  functions: readonly FunctionSum[],
  lit: number,
  before: number,
  isOwn: (frame: Frame) => boolean,
): FunctionSum | undefined {
  if (lit === 0 || before === 0) return undefined;
  const growth = ({ self }: FunctionSum) => self.lit / lit - self.before / before;
  let most: FunctionSum | undefined;
  for (const it of functions) if (isOwn(it) && growth(it) > (most ? growth(most) : 0.005)) most = it;
  return most;
}

function paired(lit: ReadonlyMap<string, number>, before: ReadonlyMap<string, number>) {
  return [...new Set([...lit.keys(), ...before.keys()])]
    .map((value) => ({ value, lit: lit.get(value) ?? 0, before: before.get(value) ?? 0 }))
    .sort((a, b) => b.lit - a.lit || b.before - a.before)
    .slice(0, 60);
}

function mostOf(sums: ReadonlyMap<string, number>): string {
  return [...sums].sort(([, a], [, b]) => b - a)[0]?.[0] ?? '';
}

function isOf(frame: Frame, { name, file }: Pick<Frame, 'name' | 'file'>): boolean {
  return frame.name === name && frame.file === file;
}

function wayTo(stacks: readonly PairedStack[], of: FunctionSum): Frame[] {
  let heaviest: PairedStack | undefined;
  for (const it of stacks)
    if (it.frames.some((frame) => isOf(frame, of)) && it.lit + it.before > (heaviest ? heaviest.lit + heaviest.before : 0))
      heaviest = it;
  if (!heaviest) return [];
  const at = heaviest.frames.findIndex((frame) => isOf(frame, of));
  return heaviest.frames.slice(at).reverse();
}

function callersOf(stacks: readonly PairedStack[], of: FunctionSum) {
  const callers = new Map<string, { name: string; file: string; line: number; lit: number; before: number }>();
  for (const { frames, lit, before } of stacks) {
    const at = frames.findLastIndex((frame) => isOf(frame, of));
    const caller = at >= 0 ? frames[at + 1] : undefined;
    if (!caller) continue;
    const key = `${keyOf(caller)}:${caller.line}`;
    const sum = callers.get(key) ?? { ...caller, lit: 0, before: 0 };
    sum.lit += lit;
    sum.before += before;
    callers.set(key, sum);
  }
  return [...callers.values()].sort((a, b) => b.lit - a.lit).slice(0, MOST_CALLERS);
}

/** What a function takes, by the operation that it is taken for. */
function operationsOf(sums: StackSums, of: FunctionSum): { value: string; lit: number }[] {
  const { frames } = sums;
  const found = new Map<string, number>();
  for (const { frames: stack, operations } of sums.stacks)
    if (stack.some((at) => isOf(frames[at], of)))
      for (const [operation, value] of operations) found.set(operation, (found.get(operation) ?? 0) + value);
  return [...found].map(([value, lit]) => ({ value, lit })).sort((a, b) => b.lit - a.lit);
}

async function sourceOf(service: string, { file }: FunctionSum, stacks: readonly PairedStack[], ran: string, formerRan: string) {
  const files = await sourceFiles();
  const found = file === '' ? undefined : files.find(service, file, ran);
  if (!found) return null;
  const former = formerRan === ran ? undefined : files.find(service, file, formerRan);
  return {
    file: found.file,
    version: found.version,
    ran,
    text: found.text,
    former: former && former.version === formerRan ? former.text : null,
    formerVersion: formerRan,
    lines: lineCosts(stacks, file),
  };
}
