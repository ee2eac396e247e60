import { PHASES } from '../../../core/visits/loadPhases.ts';
import { SIGNS } from '../../../core/visits/struggle.ts';
import { visitorChecks } from '../../visitors/checks.ts';
import { visitorPagesList } from '../../visitors/pages.ts';
import { visitorSteps } from '../../visitors/steps.ts';
import { visitorVersions } from '../../visitors/versions.ts';
import { oneVisit } from '../../visitors/visit.ts';
import { about, firstOf, found, type PinSource, pinSource } from './pinSource.ts';

const MOST_ROWS = 40;
const MOST_EVENTS = 80;
const LONGEST_STACK = 4_000;
const ns = (ms: number | null | undefined) => (ms === null || ms === undefined ? null : ms * 1e6);

export const VISITOR_PINS = {
  pages: pinSource(visitorPagesList, (it, { rows = '' }) => {
    const pages = rows === '' ? it.pages : it.pages.filter(({ page }) => rows.split('\n').includes(page));
    const { shown, leftOut } = firstOf(pages, MOST_ROWS);
    return {
      title: `What visitors of ${it.app} lived through`,
      about: [
        ...about('app', [it.app]),
        ...about(
          'page',
          shown.slice(0, 5).map(({ page }) => page),
        ),
      ],
      evidence: [
        {
          form: 'parts',
          title: 'Time until ready, by phase',
          unit: 'duration',
          whole: it.whole.lit.band.readyMs * 1e6,
          parts: PHASES.map((phase) => ({
            name: phase,
            note: phase === 'third' ? it.whole.lit.band.party : '',
            kind: '',
            value: it.whole.lit.band.phases[phase] * 1e6,
            before: it.whole.before.band.phases[phase] * 1e6,
          })),
        },
        {
          form: 'figures',
          title: it.app,
          figures: [
            {
              name: 'ready, p75',
              unit: 'duration',
              before: ns(it.whole.before.ready.p75),
              lit: ns(it.whole.lit.ready.p75),
              note: '',
            },
            { name: 'views', unit: 'count', before: it.whole.before.views, lit: it.whole.lit.views, note: '' },
            { name: 'Apdex', unit: 'number', before: it.whole.before.apdex, lit: it.whole.lit.apdex, note: '' },
            { name: 'views with an error', unit: 'count', before: it.whole.before.errors, lit: it.whole.lit.errors, note: '' },
            ...SIGNS.map((sign) => ({
              name: sign,
              unit: 'count' as const,
              before: it.whole.before.signs[sign],
              lit: it.whole.lit.signs[sign],
              note: 'sign of struggle',
            })),
          ],
        },
        {
          form: 'table',
          title: 'Pages',
          columns: [
            { title: 'page', unit: 'text' },
            { title: 'views', unit: 'count' },
            { title: 'ready p75 before', unit: 'duration' },
            { title: 'lit', unit: 'duration' },
            { title: 'errors', unit: 'count' },
          ],
          rows: shown.map((row) => [row.page, row.lit.views, ns(row.before.ready.p75), ns(row.lit.ready.p75), row.lit.errors]),
          leftOut,
        },
      ],
    };
  }),

  visit: pinSource(oneVisit, (it) => ({
    title: `A visit of ${it.app}`,
    about: [
      ...about('app', [it.app]),
      ...about(
        'page',
        it.views.map(({ page }) => page),
        5,
      ),
      ...about(
        'sign',
        it.signs.map(({ kind, name }) => `${kind} ${name}`),
        5,
      ),
    ],
    evidence: [
      {
        form: 'parts',
        title: 'Who held the visitor up',
        unit: 'duration',
        whole: it.account.reduce((sum, { us }) => sum + us, 0) * 1e3,
        parts: it.account.map(({ kind, party, us }) => ({
          name: party || kind,
          note: kind,
          kind: '',
          value: us * 1e3,
          before: null,
        })),
      },
      {
        form: 'table',
        title: 'What happened',
        columns: [
          { title: 'time', unit: 'time' },
          { title: 'what', unit: 'text' },
          { title: 'page', unit: 'text' },
          { title: 'of', unit: 'text' },
          { title: 'takes', unit: 'duration' },
        ],
        rows: it.events
          .slice(0, MOST_EVENTS)
          .map((event) => [event.at, event.kind, event.page, event.name.slice(0, 300), ns(event.durationMs)]),
        leftOut: Math.max(0, it.events.length - MOST_EVENTS),
      },
      {
        form: 'facts',
        title: 'The visit',
        facts: [['visit', it.session], ['application', it.app], ...Object.entries(it.about)].map(
          ([name, value]): [string, string] => [name, value.slice(0, 300)],
        ),
      },
    ],
  })),

  steps: pinSource(visitorSteps, (it) => ({
    title: `Steps of visitors of ${it.app}`,
    about: [
      ...about('app', [it.app]),
      ...about(
        'step',
        it.steps.map(({ name }) => name),
      ),
      ...about('group', it.group?.values ?? []),
    ],
    evidence: [
      {
        form: 'table',
        title: 'From step to step',
        columns: [
          { title: 'step', unit: 'text' },
          { title: 'reached before', unit: 'count' },
          { title: 'lit', unit: 'count' },
          { title: 'went on before', unit: 'share' },
          { title: 'lit', unit: 'share' },
          { title: 'takes before', unit: 'duration' },
          { title: 'lit', unit: 'duration' },
        ],
        rows: it.steps.map(({ name }, at) => {
          const [then, now] = [it.before[at], it.lit[at]];
          const on = (side: typeof now | undefined) => (side && side.reached > 0 ? side.wentOn / side.reached : null);
          return [name, then?.reached ?? null, now?.reached ?? null, on(then), on(now), ns(then?.medianMs), ns(now?.medianMs)];
        }),
        leftOut: 0,
      },
      {
        form: 'parts',
        title: `Why visitors left at "${it.steps[it.at]?.name ?? ''}"`,
        unit: 'count',
        whole: null,
        parts: Object.entries(it.lit[it.at]?.left ?? {}).map(([reason, count]) => ({
          name: reason,
          note: '',
          kind: '',
          value: Number(count),
          before: Number((it.before[it.at]?.left as Record<string, number> | undefined)?.[reason] ?? 0),
        })),
      },
    ],
  })),

  crashes: pinSource(visitorVersions, (it, { rows = '' }) => {
    const faults = rows === '' ? it.faults : it.faults.filter(({ kind, name }) => rows.split('\n').includes(`${kind} ${name}`));
    const { shown, leftOut } = firstOf(faults, MOST_ROWS);
    const first = found(shown[0] ?? it.versions[0], 'A version');
    const fault = 'stack' in first ? first : undefined;
    const most = (counted: readonly (readonly [string, number])[]) => counted[0]?.[0] ?? '';
    return {
      title: fault ? `${fault.kind}: ${fault.name}`.slice(0, 200) : `Versions of ${it.app}`,
      about: [
        ...about('app', [it.app]),
        ...about(
          'fault',
          shown.map(({ name }) => name),
          3,
        ),
        ...about(
          'version',
          shown.map(({ versions }) => most(versions)),
          3,
        ),
        ...about(
          'device',
          shown.map(({ devices }) => most(devices)),
          3,
        ),
      ],
      evidence: [
        {
          form: 'table',
          title: 'What went wrong',
          columns: [
            { title: 'kind', unit: 'text' },
            { title: 'what', unit: 'text' },
            { title: 'before', unit: 'count' },
            { title: 'lit', unit: 'count' },
            { title: 'visits', unit: 'count' },
            { title: 'mostly version', unit: 'text' },
            { title: 'mostly device', unit: 'text' },
            { title: 'first', unit: 'time' },
          ],
          rows: shown.map((row) => [
            row.kind,
            row.name,
            row.before,
            row.times,
            row.visits,
            most(row.versions),
            most(row.devices),
            row.firstMs,
          ]),
          leftOut,
        },
        ...(fault && fault.stack !== ''
          ? [{ form: 'text' as const, title: 'Its stack', text: fault.stack.slice(0, LONGEST_STACK) }]
          : []),
        {
          form: 'table',
          title: 'Versions',
          columns: [
            { title: 'version', unit: 'text' },
            { title: 'visits with an error before', unit: 'count' },
            { title: 'lit', unit: 'count' },
            { title: 'start p50 before', unit: 'duration' },
            { title: 'lit', unit: 'duration' },
          ],
          rows: it.versions.map((row) => [
            row.version,
            row.before?.withError ?? null,
            row.lit?.withError ?? null,
            ns(row.before?.startP50),
            ns(row.lit?.startP50),
          ]),
          leftOut: 0,
        },
      ],
    };
  }),

  checks: pinSource(visitorChecks, ({ checks }, { rows = '' }) => {
    const chosen = rows === '' ? checks : checks.filter(({ name }) => rows.split('\n').includes(name));
    const { shown, leftOut } = firstOf(chosen, MOST_ROWS);
    return {
      title: 'Checks',
      about: about(
        'check',
        shown.map(({ name }) => name),
      ),
      evidence: [
        {
          form: 'table',
          title: 'Checks',
          columns: [
            { title: 'check', unit: 'text' },
            { title: 'runs', unit: 'count' },
            { title: 'failed before', unit: 'count' },
            { title: 'lit', unit: 'count' },
            { title: 'p50 before', unit: 'duration' },
            { title: 'lit', unit: 'duration' },
            { title: 'last error', unit: 'text' },
          ],
          rows: shown.map((it) => [
            it.name,
            it.lit.runs,
            it.before.failed,
            it.lit.failed,
            ns(it.before.p50),
            ns(it.lit.p50),
            (it.runs.findLast(({ ok }) => !ok)?.error ?? '').slice(0, 300),
          ]),
          leftOut,
        },
      ],
    };
  }),
} satisfies Record<string, PinSource>;
