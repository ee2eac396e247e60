import type { Evidence, TableEvidence } from '../../../core/casebook/evidence/evidence.ts';
import { momentText } from '../../../core/casebook/evidence/valueText.ts';
import { databaseList } from '../../databases/list.ts';
import type { DatabaseMoment } from '../../databases/moment.ts';
import { databaseServer } from '../../databases/server.ts';
import { databaseSessions } from '../../databases/sessions.ts';
import { databaseStatement } from '../../databases/statement.ts';
import { about, fewerSteps, firstOf, found, type PinSource, pinSource } from './pinSource.ts';

const MOST_NODES = 80;
const MOST_ROWS = 30;

export const DATABASE_PINS = {
  databases: pinSource(databaseList, ({ servers, classes }) => ({
    title: 'Load of database servers',
    about: about(
      'database',
      servers.slice(0, 3).map(({ name }) => name),
    ),
    evidence: [
      {
        form: 'parts',
        title: 'Average active sessions',
        unit: 'number',
        whole: null,
        parts: servers.slice(0, MOST_ROWS).map((it) => ({
          name: it.name,
          note: topClasses(it.lit?.byClass ?? [], classes),
          kind: '',
          value: it.lit?.value ?? 0,
          before: it.before?.value ?? null,
        })),
      },
    ],
  })),

  load: pinSource(databaseServer, (it, _, { name = '' }) => ({
    title: `What ${name} waits for`,
    about: [...about('database', [name]), ...about('wait', usedClasses(it.lit?.byClass ?? [], it.classes))],
    evidence: [
      tideOf(it.tide, it.classes, it.litWindow, it.cores),
      {
        form: 'parts',
        title: 'Average active sessions by what they wait for',
        unit: 'number',
        whole: it.lit?.value ?? null,
        parts: it.classes.flatMap((waitClass, at) => {
          const [lit, before] = [it.lit?.byClass[at] ?? 0, it.before?.byClass[at] ?? 0];
          return lit + before < 0.005 ? [] : [{ name: waitClass, note: '', kind: '', value: lit, before }];
        }),
      },
      {
        form: 'table',
        title: 'Statements with most load',
        columns: [
          { title: 'statement', unit: 'text' },
          { title: 'load before', unit: 'number' },
          { title: 'lit', unit: 'number' },
        ],
        rows: (it.cuts.find(({ dimension }) => dimension === 'statement')?.rows ?? [])
          .slice(0, 10)
          .map((row) => [row.name, total(row.before), total(row.lit)]),
        leftOut: 0,
      },
    ],
  })),

  blocking: pinSource(databaseSessions, ({ moment: given }, _, { name = '' }) => {
    const moment = found(given, `The moment of ${name}`);
    return {
      title: `${name}: who waits for whom`,
      about: [...about('database', [name]), ...rootsOf(moment)],
      evidence: [
        treeOf(moment),
        {
          form: 'figures',
          title: `${name} at that moment`,
          figures: [
            { name: 'active sessions', unit: 'count', before: null, lit: moment.active, note: '' },
            { name: 'blocked', unit: 'count', before: null, lit: moment.blocked, note: '' },
            { name: 'holding a transaction open', unit: 'count', before: null, lit: moment.heldOpen, note: '' },
          ],
        },
      ],
    };
  }),

  statement: pinSource(databaseStatement, (it, _, { name = '' }) => ({
    title: `${it.title} on ${name}`,
    about: [...about('database', [name]), ...about('statement', [it.title]), ...about('table', it.tables)],
    evidence: [
      { form: 'text', title: 'The statement', text: it.text || 'Nobody has sent its text.' },
      {
        form: 'figures',
        title: 'A call',
        figures: [
          { name: 'takes', unit: 'duration', before: inNs(it.cost.before?.ms), lit: inNs(it.cost.lit?.ms), note: 'on average' },
          { name: 'calls', unit: 'rate', before: it.cost.before?.calls ?? null, lit: it.cost.lit?.calls ?? null, note: '' },
          { name: 'rows', unit: 'number', before: it.cost.before?.rows ?? null, lit: it.cost.lit?.rows ?? null, note: '' },
          {
            name: 'blocks read from disk',
            unit: 'number',
            before: it.cost.before?.blocksRead ?? null,
            lit: it.cost.lit?.blocksRead ?? null,
            note: '',
          },
          {
            name: 'load',
            unit: 'number',
            before: it.before?.value ?? null,
            lit: it.lit?.value ?? null,
            note: 'average active sessions',
          },
        ],
      },
      tideOf(it.tide, it.classes, it.litWindow, it.cores),
      ...(it.advice.length === 0
        ? []
        : [
            {
              form: 'facts' as const,
              title: 'What speaks of it',
              facts: it.advice.map(({ words, evidence }): [string, string] => [words, evidence]),
            },
          ]),
    ],
  })),

  plan: pinSource(databaseStatement, (it, { plan = '' }, { name = '' }) => {
    const at = plan === '' ? it.plans.length - 1 : it.plans.findIndex(({ planId }) => planId === plan);
    const chosen = found(it.plans[at], 'The plan');
    return {
      title: `Plan of ${it.title} on ${name}`,
      about: [...about('database', [name]), ...about('statement', [it.title]), ...about('plan', chosen.difference)],
      evidence: [
        {
          form: 'facts',
          title: 'What changed from the plan before it',
          facts:
            chosen.difference.length === 0
              ? [['plan', 'the first that is known']]
              : chosen.difference.map((words, index): [string, string] => [String(index + 1), words]),
        },
        {
          form: 'figures',
          title: 'A call',
          figures: [
            {
              name: 'takes',
              unit: 'duration',
              before: inNs(chosen.meanBeforeMs),
              lit: inNs(chosen.meanAfterMs),
              note: 'half an hour on either side',
            },
          ],
        },
        { form: 'text', title: 'The plan', text: pretty(chosen.plan) },
        ...(at > 0 ? [{ form: 'text' as const, title: 'The one before it', text: pretty(it.plans[at - 1].plan) }] : []),
      ],
    };
  }),
} satisfies Record<string, PinSource>;

const total = (values: readonly number[]) => values.reduce((sum, it) => sum + it, 0);
const inNs = (ms: number | null | undefined) => (ms === null || ms === undefined ? null : ms * 1e6);

function usedClasses(byClass: readonly number[], classes: readonly string[]): string[] {
  const whole = total(byClass);
  return classes.filter((_, at) => whole > 0 && byClass[at] >= 0.2 * whole && classes[at] !== 'CPU');
}

function topClasses(byClass: readonly number[], classes: readonly string[]): string {
  return usedClasses(byClass, classes).join(', ');
}

interface TideLike {
  readonly from: number;
  readonly stepMs: number;
  readonly samples: readonly number[];
  readonly loads: readonly (readonly number[])[];
}

/** Load over time, what sessions wait for stacked on what works, with the line of cores. */
function tideOf(
  tide: TideLike,
  classes: readonly string[],
  lit: { readonly from: string; readonly to: string },
  cores: number,
): Evidence {
  const used = classes.flatMap((name, at) => {
    const { values, each } = fewerSteps(tide.loads.map((load, step) => (tide.samples[step] > 0 ? (load[at] ?? 0) : null)));
    return values.some((it) => it !== null && it > 0) ? [{ name, role: 'part' as const, values, each }] : [];
  });
  const steps = used[0]?.values.length ?? 0;
  return {
    form: 'series',
    title: 'Average active sessions by what they wait for',
    unit: 'number',
    from: tide.from,
    stepMs: tide.stepMs * (used[0]?.each ?? 1),
    lit: { from: Date.parse(lit.from), to: Date.parse(lit.to) },
    lines: [
      ...used.map(({ each: _, ...line }) => line),
      ...(cores > 0
        ? [{ name: `${cores} cores`, role: 'limit' as const, values: Array.from({ length: steps }, () => cores) }]
        : []),
    ],
  };
}

function treeOf({ sessions, trees, at }: DatabaseMoment): Evidence {
  const bySession = new Map(sessions.map((it) => [it.session, it]));
  if (trees.length === 0) return sessionTable({ sessions });
  return {
    form: 'tree',
    title: `Who waits for whom at ${momentText(at, 'UTC')}`,
    unit: 'duration',
    nodes: trees.slice(0, MOST_NODES).map(({ session, depth, behind }) => {
      const it = bySession.get(session);
      const isIdle = it?.state.startsWith('idle in transaction') ?? false;
      return {
        depth,
        name: [it?.program || 'unknown program', `session ${session}`].join(', '),
        note: [
          depth === 0 ? `holds ${behind}` : '',
          isIdle ? 'idle in transaction' : (it?.statement ?? ''),
          depth > 0 && it ? `waits for ${it.waitClass} ${it.waitEvent}`.trim() : '',
        ]
          .filter((text) => text !== '')
          .join(' · '),
        value: inNs(isIdle ? (it?.transactionMs ?? it?.sinceMs) : it?.sinceMs),
        starts: depth === 0,
      };
    }),
  };
}

function sessionTable({ sessions }: Pick<DatabaseMoment, 'sessions'>): TableEvidence {
  const { shown, leftOut } = firstOf(sessions, MOST_ROWS);
  return {
    form: 'table',
    title: 'Sessions; nobody waits for another',
    columns: [
      { title: 'session', unit: 'text' },
      { title: 'program', unit: 'text' },
      { title: 'state', unit: 'text' },
      { title: 'waits for', unit: 'text' },
      { title: 'statement', unit: 'text' },
      { title: 'since', unit: 'duration' },
    ],
    rows: shown.map((it) => [
      it.session,
      it.program,
      it.state,
      `${it.waitClass} ${it.waitEvent}`.trim(),
      it.statement,
      inNs(it.sinceMs),
    ]),
    leftOut,
  };
}

function rootsOf({ trees, sessions }: DatabaseMoment): string[] {
  const roots = new Set(trees.filter(({ depth }) => depth === 0).map(({ session }) => session));
  return about(
    'blocker',
    sessions.filter(({ session }) => roots.has(session)).map(({ program }) => program),
  );
}

/** A plan as text: PostgreSQL's JSON with line ends, anything else as it is. */
function pretty(plan: string): string {
  try {
    return JSON.stringify(JSON.parse(plan), null, 1);
  } catch {
    return plan;
  }
}
