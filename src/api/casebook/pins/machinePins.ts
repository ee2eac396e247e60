import { momentText } from '../../../core/casebook/evidence/valueText.ts';
import { PATTERN_WORDS } from '../../../core/machines/pods/podPatterns.ts';
import { RULES } from '../../../core/machines/rules.ts';
import { readingText, ruleWords } from '../../../core/machines/words.ts';
import { machineHost } from '../../machines/host.ts';
import { machineLayers } from '../../machines/layers.ts';
import { machinePods } from '../../machines/pods.ts';
import { about, fewerSteps, firstOf, type PinSource, pinSource } from './pinSource.ts';

const MOST_ROWS = 60;
const MOST_CURVES = 4;
const MINUTE_MS = 60_000;

interface ReadingLike {
  readonly rule: string;
  readonly value: number | null;
  readonly usual: { readonly median: number; readonly high: number } | null;
  readonly standing: string;
}

const READING_COLUMNS = [
  { title: 'what', unit: 'text' },
  { title: 'usually', unit: 'text' },
  { title: 'usually at most', unit: 'text' },
  { title: 'now', unit: 'text' },
  { title: '', unit: 'text' },
] as const;

function readingRow(it: ReadingLike): string[] {
  return [
    ruleWords(it.rule),
    readingText(it.rule, it.usual?.median ?? null),
    readingText(it.rule, it.usual?.high ?? null),
    readingText(it.rule, it.value),
    it.standing,
  ];
}

export const MACHINE_PINS = {
  layers: pinSource(machineLayers, ({ layers, lowest, ill, instances, at }) => {
    const shown = layers.flatMap(({ layer, cells }) =>
      cells.filter(({ standing }) => standing === 'ill').map((cell) => ({ layer, cell })),
    );
    return {
      title: lowest ? `The lowest ill layer: ${lowest.layer} ${lowest.name}` : 'No layer is ill',
      about: lowest ? [...about(lowest.layer, [lowest.name]), ...about('cause', lowest.cause ? [lowest.cause.name] : [])] : [],
      evidence: [
        {
          form: 'table',
          title: `What is ill at ${momentText(at, 'UTC')}, the lowest last`,
          columns: [{ title: 'layer', unit: 'text' }, { title: 'name', unit: 'text' }, ...READING_COLUMNS],
          rows: shown
            .slice(0, MOST_ROWS)
            .map(({ layer, cell }) => [
              layer,
              cell.name,
              ...readingRow(cell.readings.find(({ standing }) => standing === 'ill') ?? cell.readings[0]),
            ]),
          leftOut: Math.max(0, shown.length - MOST_ROWS),
        },
        {
          form: 'figures',
          title: 'In all',
          figures: [
            { name: 'ill', unit: 'count', before: null, lit: ill, note: `${instances} instances are looked at` },
            ...(lowest
              ? [
                  { name: 'since', unit: 'time' as const, before: null, lit: lowest.since, note: lowest.name },
                  { name: 'ill above it', unit: 'count' as const, before: null, lit: lowest.above, note: `of ${lowest.of}` },
                ]
              : []),
          ],
        },
      ],
    };
  }),

  host: pinSource(machineHost, (it) => ({
    title: `${it.kind === 'vm' ? 'Virtual machine' : 'Host'} ${it.name}`,
    about: [
      ...about('host', [it.name, it.standsOn]),
      ...about(
        'process',
        it.processes.slice(0, 2).map(({ name }) => name),
      ),
    ],
    evidence: [
      {
        form: 'table',
        title: `Its resources at ${momentText(it.at, 'UTC')}`,
        columns: READING_COLUMNS,
        rows: it.resources.map(readingRow),
        leftOut: 0,
      },
      ...it.resources
        .filter(({ standing, over }) => standing === 'ill' && over.length > 0)
        .slice(0, MOST_CURVES)
        .map((reading) => {
          const { values, each } = fewerSteps(reading.over);
          return {
            form: 'series' as const,
            title: ruleWords(reading.rule),
            unit: unitOf(reading.rule),
            from: Date.parse(it.litWindow.from),
            stepMs: MINUTE_MS * each,
            lit: null,
            lines: [
              { name: ruleWords(reading.rule), role: 'lit' as const, values: scaled(reading.rule, values) },
              ...(reading.usual
                ? [
                    {
                      name: 'usually at most',
                      role: 'limit' as const,
                      values: scaled(
                        reading.rule,
                        values.map(() => reading.usual!.high),
                      ),
                    },
                  ]
                : []),
            ],
          };
        }),
      {
        form: 'table',
        title: 'Busiest processes',
        columns: [
          { title: 'process', unit: 'text' },
          { title: 'container or job', unit: 'text' },
          { title: 'cores before', unit: 'number' },
          { title: 'cores', unit: 'number' },
          { title: 'memory', unit: 'bytes' },
        ],
        rows: it.processes.map((row) => [row.name, row.job || row.container, row.before, row.cores, row.memory]),
        leftOut: 0,
      },
      {
        form: 'table',
        title: 'Runs of jobs',
        columns: [
          { title: 'job', unit: 'text' },
          { title: 'from', unit: 'time' },
          { title: 'to', unit: 'time' },
          { title: '', unit: 'text' },
        ],
        rows: it.jobs.flatMap((job) => job.runs.map((run) => [job.name, run.from, run.to, run.message])),
        leftOut: 0,
      },
    ],
  })),

  pods: pinSource(machinePods, ({ pods, patterns, total }, { rows = '' }) => {
    const chosen =
      rows === '' ? pods.filter((it) => it.patterns.length > 0) : pods.filter(({ id }) => rows.split('\n').includes(id));
    const { shown, leftOut } = firstOf(chosen.length > 0 ? chosen : pods, MOST_ROWS);
    return {
      title: shown.length === 1 ? `Pod ${shown[0].name}` : 'Pods',
      about: [
        ...about(
          'pod',
          shown.map(({ kin }) => kin),
        ),
        ...about(
          'pattern',
          shown.flatMap((it) => it.patterns),
        ),
        ...about(
          'service',
          shown.map(({ service }) => service),
        ),
      ],
      evidence: [
        {
          form: 'table',
          title: 'Pods',
          columns: [
            { title: 'pod', unit: 'text' },
            { title: 'trouble', unit: 'text' },
            { title: 'ready', unit: 'text' },
            { title: 'restarts', unit: 'count' },
            { title: 'killed', unit: 'count' },
            { title: 'memory at most', unit: 'bytes' },
            { title: 'limit', unit: 'bytes' },
            { title: 'stands on', unit: 'text' },
          ],
          rows: shown.map((it) => [
            it.name,
            it.patterns.map((pattern) => PATTERN_WORDS[pattern]).join(', '),
            it.ready ? 'ready' : it.reason || it.phase,
            it.restarts,
            it.killed,
            it.memory.most,
            it.memory.limit,
            it.standsOn,
          ]),
          leftOut,
        },
        {
          form: 'parts',
          title: 'By pattern',
          unit: 'count',
          whole: null,
          parts: patterns.map(({ pattern, pods: count }) => ({
            name: PATTERN_WORDS[pattern],
            note: `of ${total} pods`,
            kind: '',
            value: count,
            before: null,
          })),
        },
      ],
    };
  }),
} satisfies Record<string, PinSource>;

function unitOf(rule: string) {
  if (rule === 'p95') return 'duration' as const;
  switch (RULES.find(({ id }) => id === rule)?.unit) {
    case 'share':
      return 'share' as const;
    case 'seconds':
    case 'nanoseconds':
      return 'duration' as const;
    default:
      return 'number' as const;
  }
}

/** Seconds become nanoseconds, as durations are frozen. */
function scaled(rule: string, values: readonly (number | null)[]): (number | null)[] {
  const isSeconds = RULES.find(({ id }) => id === rule)?.unit === 'seconds';
  return isSeconds ? values.map((value) => (value === null ? null : value * 1e9)) : [...values];
}
