import { z } from 'zod';
import { betterCode, type CodeTrial, middle } from '../../core/fixes/codeTrial.ts';
import { type Finding, findingKey, findings, heldFinding } from '../../core/habits/findings.ts';
import { HABITS } from '../../core/habits/habits.ts';
import { ownFrames } from '../../core/profile/ownRules.ts';
import { habitCells } from '../../store/profiles/habitCells.ts';
import { readOwnRules } from '../../store/profiles/ownRules.ts';
import { findingsSetAside, setFindingAside } from '../../store/profiles/setAside.ts';
import { sourceFiles } from '../../store/profiles/sources.ts';
import { latestCodeTrials } from '../../store/trials/codeTrials.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type CodeFindings = z.output<typeof codeFindings.answer>;
export type CodeFinding = CodeFindings['findings'][number];

/** How far around the lit window it is looked for what is usual. */
const AROUND_NS = 26n * 3_600_000_000_000n;
const HOUR_NS = 3_600_000_000_000n;
const MOST_FINDINGS = 60;
const MOST_SHARES = 80;
const MOST_GROWING = 10;

const finding = z.object({
  key: z.string(),
  habit: z.string(),
  title: z.string(),
  advice: z.string(),
  unit: z.enum(['cpu', 'wall', 'bytes']),
  service: z.string(),
  version: z.string(),
  place: z.object({ name: z.string(), file: z.string(), line: z.int() }),
  lines: z.array(z.object({ line: z.int(), value: z.number() })),
  share: z.number(),
  interval: z.array(z.number()).length(2).meta({ description: 'The 95 % interval of the share.' }),
  samples: z.int(),
  value: z.number().meta({ description: 'What it takes in the window, nanoseconds.' }),
  usual: z.object({ low: z.number(), high: z.number(), shares: z.array(z.number()) }).nullable(),
  overUsual: z.number().nullable().meta({ description: 'What it takes beyond what is usual, nanoseconds.' }),
  verdict: z.enum(['over usual', 'usual not known', 'in range', 'not enough data']),
  by: z.enum(['syntax', 'text', 'names']),
  fixes: z
    .object({ tried: z.int(), best: z.number().nullable() })
    .nullable()
    .meta({ description: 'Alternatives that were tried, and the part of the time that the best saves; null when none were.' }),
  setAside: z.string().meta({ description: 'Why nobody wants to hear of it; empty when it counts.' }),
});

export const codeFindings = endpoint({
  path: '/api/code/findings',
  least: 'reader',
  summary: 'Costly habits that profiles show: where, the share that each takes, the share usual for it, and what to do.',
  runs: 'analysis',
  query: z.strictObject(comparisonParameters),
  answer: z.object({
    litWindow: windowAnswer,
    services: z.int().meta({ description: 'Services that were profiled in the window.' }),
    cpu: z.number().meta({ description: 'Nanoseconds of CPU that were sampled of them.' }),
    findings: z.array(finding),
    inRange: z.int().meta({ description: 'Habits that take no more than is usual and are not listed.' }),
  }),
  run: async (query) => {
    const { lit } = await windowsOf(query);
    const [rules, sources, aside] = await Promise.all([readOwnRules(), sourceFiles(), findingsSetAside()]);
    const isOwn = ownFrames(rules);
    const current = await habitCells(lit.from, lit.to, sources, isOwn);
    const around = await habitCells(lit.from - AROUND_NS, lit.to, sources, isOwn);
    const hours = { first: Number(lit.from / HOUR_NS), last: Number((lit.to - 1n) / HOUR_NS) };
    const growing = current.held.slice(0, MOST_GROWING).map(heldFinding);
    const timed = findings(current.cells, around.cells, hours, (service) => around.runtimes.get(service) ?? '');
    const over = timed.filter(({ verdict }) => verdict === 'over usual');
    const found = [...over, ...growing, ...timed.slice(over.length)];
    const reasons = new Map(aside.map(({ key, reason }) => [key, reason]));
    const listed = found.slice(0, MOST_FINDINGS);
    const tried = await latestCodeTrials(listed.map(findingKey));
    return {
      litWindow: describeWindow(lit),
      services: new Set(current.cells.map(({ service }) => service)).size,
      cpu: current.cells.reduce((sum, { cpu }) => sum + cpu.value, 0),
      findings: listed.map((it) => described(it, reasons, tried)),
      inRange: found.length - listed.length,
    };
  },
});

function described(
  it: Finding,
  reasons: ReadonlyMap<string, string>,
  tried: ReadonlyMap<string, CodeTrial>,
): z.input<typeof finding> {
  const key = findingKey(it);
  const { title, advice, unit } = HABITS[it.habit];
  return {
    ...it,
    key,
    title,
    advice,
    unit,
    lines: it.lines.slice(0, 12).map((line) => ({ ...line })),
    interval: [...it.interval],
    usual: it.usual && { low: it.usual.low, high: it.usual.high, shares: someOf(it.usual.shares) },
    fixes: inShort(tried.get(key)),
    setAside: reasons.get(key) ?? '',
  };
}

function inShort(trial: CodeTrial | undefined): z.input<typeof finding>['fixes'] {
  if (!trial) return null;
  const [best] = betterCode(trial);
  return { tried: trial.ways.length - 1, best: best ? 1 - middle(best.runs) / middle(trial.ways[0].runs) : null };
}

/** So many of the shares, evenly, as tell the range. */
function someOf(shares: readonly number[]): number[] {
  if (shares.length <= MOST_SHARES) return [...shares];
  return Array.from({ length: MOST_SHARES }, (_, at) => shares[Math.round((at * (shares.length - 1)) / (MOST_SHARES - 1))]);
}

export const setAside = endpoint({
  method: 'PUT',
  path: '/api/code/findings/aside',
  least: 'responder',
  summary: 'Sets a finding aside with a reason, so that it is not counted; an empty reason takes that back.',
  query: z.strictObject({ key: z.string().min(1).max(3_000), reason: z.string().max(500) }),
  answer: z.object({ aside: z.int() }),
  run: async ({ key, reason }) => {
    await setFindingAside(key, reason.trim(), Date.now());
    return { aside: (await findingsSetAside()).length };
  },
});
