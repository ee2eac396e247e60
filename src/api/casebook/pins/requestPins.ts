import type { TableEvidence } from '../../../core/casebook/evidence/evidence.ts';
import { originWords } from '../../../core/topology/origin/originWords.ts';
import { failures } from '../../failures/failures.ts';
import { starts } from '../../map/starts.ts';
import { now } from '../../now/now.ts';
import { series } from '../../requests/series.ts';
import { serviceMeasures } from '../../services/measures.ts';
import { serviceOverview } from '../../services/overview.ts';
import { about, fewerSteps, firstOf, found, type PinSource, pinSource } from './pinSource.ts';

const MOST_ROWS = 60;

export const REQUEST_PINS = {
  journey: pinSource(now, ({ journeys, services }, { name = '' }) => {
    const it = found(
      [...journeys, ...services].find((row) => row.name === name),
      `"${name}"`,
    );
    const failing = (side: typeof it.lit) => (side.calls === 0 ? null : side.failures / side.calls);
    return {
      title: `${it.name}, before and lit`,
      about: [...about('operation', it.entries), ...about('journey', [it.name])],
      evidence: [
        { form: 'spread', title: `How long ${it.name} takes`, before: it.beforeSpread, lit: it.litSpread },
        {
          form: 'figures',
          title: `${it.name} in figures`,
          figures: [
            { name: 'p95', unit: 'duration', before: it.before.p95Ns, lit: it.lit.p95Ns, note: '' },
            { name: 'p50', unit: 'duration', before: it.before.p50Ns, lit: it.lit.p50Ns, note: '' },
            {
              name: 'failing',
              unit: 'share',
              before: failing(it.before),
              lit: failing(it.lit),
              note: `${it.lit.failures} of ${it.lit.calls}`,
            },
            { name: 'requests', unit: 'count', before: it.before.calls, lit: it.lit.calls, note: '' },
            {
              name: 'extra waiting',
              unit: 'duration',
              before: null,
              lit: it.extraWaitingNs,
              note: 'beyond the usual, of all requests',
            },
            { name: 'people', unit: 'count', before: null, lit: it.users, note: 'failed, or slower than p99 before' },
          ],
        },
      ],
    };
  }),

  requests: pinSource(series, ({ buckets, stepMs }, _, { where = '' }) => {
    const count = fewerSteps(buckets.map((it) => it.count));
    const of = (value: (it: (typeof buckets)[number]) => number) => fewerSteps(buckets.map(value)).values;
    const shape = { from: buckets[0]?.at ?? 0, stepMs: stepMs * count.each, lit: null };
    return {
      title: `Requests over time${where === '' ? '' : `, ${where}`}`,
      about: [],
      evidence: [
        {
          form: 'series',
          title: 'p95',
          unit: 'duration',
          ...shape,
          lines: [{ name: 'p95', role: 'lit', values: of((it) => it.p95Ns) }],
        },
        {
          form: 'series',
          title: 'Requests, and those that failed',
          unit: 'count',
          ...shape,
          lines: [
            { name: 'requests', role: 'lit', values: of((it) => it.count) },
            { name: 'failed', role: 'limit', values: of((it) => it.failed) },
          ],
        },
      ],
    };
  }),

  service: pinSource(serviceOverview, (it) => ({
    title: `${it.name}, before and lit`,
    about: about('service', [it.name]),
    evidence: [
      {
        form: 'figures',
        title: `${it.name} in figures`,
        figures: [
          { name: 'p95', unit: 'duration', before: it.before.p95Ns, lit: it.lit.p95Ns, note: '' },
          { name: 'p50', unit: 'duration', before: it.before.p50Ns, lit: it.lit.p50Ns, note: '' },
          { name: 'calls', unit: 'count', before: it.before.calls, lit: it.lit.calls, note: '' },
          { name: 'failures', unit: 'count', before: it.before.failures, lit: it.lit.failures, note: '' },
        ],
      },
      overTime('p95', 'duration', it.series, (point) => point.p95Ns),
      overTime('Failures', 'count', it.series, (point) => point.failures),
    ],
  })),

  operations: pinSource(serviceOverview, (it, { rows = '' }) => {
    const chosen = rows === '' ? it.operations : it.operations.filter(({ name }) => rows.split('\n').includes(name));
    const { shown, leftOut } = firstOf(chosen, MOST_ROWS);
    return {
      title: `Operations of ${it.name}`,
      about: [
        ...about('service', [it.name]),
        ...about(
          'operation',
          shown.map(({ name }) => name),
        ),
      ],
      evidence: [
        {
          form: 'table',
          title: `Operations of ${it.name}`,
          columns: [
            { title: 'operation', unit: 'text' },
            { title: 'calls before', unit: 'count' },
            { title: 'lit', unit: 'count' },
            { title: 'p95 before', unit: 'duration' },
            { title: 'lit', unit: 'duration' },
            { title: 'failures before', unit: 'count' },
            { title: 'lit', unit: 'count' },
          ],
          rows: shown.map(({ name, before, lit }) => [
            name,
            before.calls,
            lit.calls,
            before.p95Ns,
            lit.p95Ns,
            before.failures,
            lit.failures,
          ]),
          leftOut,
        },
      ],
    };
  }),

  measures: pinSource(serviceMeasures, ({ measures }, { rows = '' }, { name = '' }) => {
    const chosen =
      rows === ''
        ? measures.filter(({ turn }) => turn === 'up' || turn === 'down')
        : measures.filter((it) => rows.split('\n').includes(it.name));
    const { shown, leftOut } = firstOf(chosen.length > 0 ? chosen : measures, MOST_ROWS);
    return {
      title: `What ${name} and its hosts measure`,
      about: about('service', [name]),
      evidence: [measureTable(`What ${name} and its hosts measure`, shown, leftOut)],
    };
  }),

  failures: pinSource(failures, ({ groups, codes }, { rows = '' }) => {
    const chosen = rows === '' ? groups : groups.filter(({ id }) => rows.split('\n').includes(id));
    const { shown, leftOut } = firstOf(chosen, MOST_ROWS);
    return {
      title: shown.length === 1 ? `${shown[0].type || shown[0].code}: ${shown[0].shape}`.slice(0, 200) : 'What failed',
      about: [
        ...about(
          'service',
          shown.map(({ service }) => service),
        ),
        ...about(
          'failure',
          shown.map(({ type, shape }) => `${type} ${shape}`),
        ),
        ...about(
          'operation',
          shown.flatMap(({ operations }) => operations),
        ),
      ],
      evidence: [
        {
          form: 'table',
          title: 'What failed',
          columns: [
            { title: 'service', unit: 'text' },
            { title: 'what', unit: 'text' },
            { title: 'message', unit: 'text' },
            { title: 'before', unit: 'count' },
            { title: 'lit', unit: 'count' },
            { title: 'passed on', unit: 'count' },
            { title: 'people', unit: 'count' },
            { title: 'first', unit: 'time' },
            { title: 'last', unit: 'time' },
          ],
          rows: shown.map((it) => [
            it.service,
            it.type || it.code,
            it.shape,
            it.before,
            it.count,
            it.passedOn,
            it.users,
            it.first,
            it.last,
          ]),
          leftOut,
        },
        ...(rows === ''
          ? [
              {
                form: 'parts' as const,
                title: 'By response code',
                unit: 'count' as const,
                whole: null,
                parts: codes.map(({ code, count, before }) => ({
                  name: code || 'none',
                  note: '',
                  kind: '',
                  value: count,
                  before,
                })),
              },
            ]
          : []),
      ],
    };
  }),

  starts: pinSource(starts, ({ failures: failing, slowness }) => ({
    title: 'Where it starts',
    about: about(
      'starts',
      [...failing.origins, ...slowness.origins].filter((it) => it.starts).map(({ party }) => party),
    ),
    evidence: [
      ...(slowness.origins.length === 0
        ? []
        : [
            {
              form: 'parts' as const,
              title: 'Where the extra waiting starts',
              unit: 'share' as const,
              whole: null,
              parts: slowness.origins.map((it) => ({
                name: it.party,
                note: [
                  it.starts ? 'starts here' : 'passes on',
                  originWords(it),
                  ...it.only.map(({ what, name }) => `only ${what} ${name}`),
                ]
                  .filter((words) => words !== '')
                  .join(', '),
                kind: it.kinds[0]?.kind ?? '',
                value: it.share,
                before: null,
              })),
            },
          ]),
      ...(failing.origins.length === 0
        ? []
        : [
            {
              form: 'parts' as const,
              title: 'Where failures start',
              unit: 'share' as const,
              whole: null,
              parts: failing.origins.map((it) => ({
                name: it.party,
                note: [it.starts ? 'starts here' : 'passes on', it.what].filter((text) => text !== '').join(', '),
                kind: '',
                value: it.share,
                before: null,
              })),
            },
          ]),
      {
        form: 'figures',
        title: 'Of these requests',
        figures: [
          { name: 'failing', unit: 'count', before: null, lit: failing.failing, note: `of ${failing.requests}` },
          { name: 'extra waiting', unit: 'duration', before: null, lit: slowness.extraNs, note: slowness.entries.join(', ') },
        ],
      },
    ],
  })),
} satisfies Record<string, PinSource>;

interface Points<Point> {
  readonly stepMs: number;
  readonly lit: readonly Point[];
  readonly before: readonly Point[];
}

/** A figure over time, the before window laid under the lit one. */
function overTime<Point extends { readonly at: number }>(
  title: string,
  unit: 'duration' | 'count',
  { stepMs, lit, before }: Points<Point>,
  value: (point: Point) => number | null,
) {
  const { values, each } = fewerSteps(lit.map(value));
  return {
    form: 'series' as const,
    title,
    unit,
    from: lit[0]?.at ?? 0,
    stepMs: stepMs * each,
    lit: null,
    lines: [
      { name: 'before', role: 'before' as const, values: fewerSteps(before.map(value).slice(0, lit.length)).values },
      { name: 'lit', role: 'lit' as const, values },
    ],
  };
}

/** Measures with their medians. */
export function measureTable(
  title: string,
  measures: readonly { name: string; detail: string; unit: string; before: number | null; lit: number | null; turn: string }[],
  leftOut = 0,
): TableEvidence {
  return {
    form: 'table',
    title,
    columns: [
      { title: 'measure', unit: 'text' },
      { title: 'of', unit: 'text' },
      { title: 'before', unit: 'number' },
      { title: 'lit', unit: 'number' },
      { title: 'unit', unit: 'text' },
      { title: '', unit: 'text' },
    ],
    rows: measures.map((it) => [it.name, it.detail, it.before, it.lit, it.unit, it.turn === 'flat' ? '' : it.turn]),
    leftOut,
  };
}
