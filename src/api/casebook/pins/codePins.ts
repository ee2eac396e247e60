import type { FlameEvidence } from '../../../core/casebook/evidence/evidence.ts';
import { codeFindings } from '../../code/findings.ts';
import { type CodeProfile, codeProfile } from '../../code/profile.ts';
import { runningRequest } from '../../code/request.ts';
import { codeRunning } from '../../code/running.ts';
import { about, firstOf, found, type PinSource, pinSource } from './pinSource.ts';

const MOST_ROWS = 30;
/** Calls of a frozen flame, those with the largest share. */
const MOST_CALLS = 400;

interface FrameLike {
  readonly name: string;
  readonly file: string;
  readonly line: number;
  readonly own: boolean;
}

export const CODE_PINS = {
  running: pinSource(codeRunning, ({ places, running }, { rows = '' }) => {
    const chosen =
      rows === '' ? places : places.filter((it) => rows.split('\n').includes(it.frame ? frameText(it.frame) : it.step));
    const { shown, leftOut } = firstOf(chosen, MOST_ROWS);
    return {
      title: `${running} requests run`,
      about: [
        ...about(
          'service',
          shown.map(({ service }) => service),
        ),
        ...about(
          'code',
          shown.flatMap(({ frame }) => (frame ? [frame.name] : [])),
        ),
      ],
      evidence: [
        {
          form: 'table',
          title: 'Where running requests stand',
          columns: [
            { title: 'service', unit: 'text' },
            { title: 'first line of own code', unit: 'text' },
            { title: 'waits for', unit: 'text' },
            { title: 'requests', unit: 'count' },
            { title: 'oldest', unit: 'duration' },
            { title: 'usually take, p95', unit: 'duration' },
          ],
          rows: shown.map((it) => [
            it.service,
            it.frame ? frameText(it.frame) : it.step,
            it.wait,
            it.requests.length,
            Math.max(0, ...it.requests.map(({ ageMs }) => ageMs)) * 1e6,
            it.usual.p95Ms === null ? null : it.usual.p95Ms * 1e6,
          ]),
          leftOut,
        },
      ],
    };
  }),

  stack: pinSource(runningRequest, ({ request, looks, session, ended }) => {
    const look = found(looks.filter(({ frames }) => frames.length > 0).at(-1), 'A stack of this request');
    const same = looks.filter((it) => it.frames.map(frameText).join() === look.frames.map(frameText).join()).length;
    return {
      title: `${request.operation} in ${request.service}, at ${Math.round(look.ageMs / 1000)} s`,
      about: [
        ...about('service', [request.service]),
        ...about('operation', [request.operation]),
        ...about(
          'code',
          look.frames.filter(({ own }) => own).map(({ name }) => name),
          3,
        ),
      ],
      evidence: [
        {
          form: 'stack',
          title: 'What it does',
          frames: look.frames.map((frame) => ({ text: frameText(frame), own: frame.own })),
          note: `${same} of ${looks.length} looks see this stack${look.wait === '' ? '' : `; waits for ${look.wait}`}`,
        },
        {
          form: 'facts',
          title: 'The request',
          facts: [
            ['trace', request.traceId],
            ['instance', request.instance],
            ['running statement', request.statement],
            ['ended', ended ? ended.outcome : 'not yet'],
            ...(session?.root
              ? [['waits for session', `${session.root.session} of ${session.root.program}, ${session.root.state}`]]
              : []),
          ].filter(([, value]) => value !== '') as [string, string][],
        },
      ],
    };
  }),

  profile: pinSource(codeProfile, (it) => ({
    title: `${it.type} profile of ${it.service}`,
    about: [...about('service', [it.service]), ...about('code', it.grown === '' ? [] : [it.grown.split('|')[0]])],
    evidence: [
      flameOf(it),
      {
        form: 'table',
        title: 'Functions by their own share',
        columns: [
          { title: 'function', unit: 'text' },
          { title: 'at', unit: 'text' },
          { title: 'before', unit: 'share' },
          { title: 'lit', unit: 'share' },
        ],
        rows: [...it.functions]
          .map((row) => ({ ...row, lit: share(row.self.lit, it.lit.value), before: share(row.self.before, it.before.value) }))
          .sort((a, b) => b.lit - a.lit)
          .slice(0, 20)
          .map((row) => [row.name, `${row.file}:${row.line}`, row.before, row.lit]),
        leftOut: Math.max(0, it.functions.length + it.moreFunctions - 20),
      },
      ...(it.chosen
        ? [
            {
              form: 'stack' as const,
              title: `The heaviest way to ${it.chosen.name}`,
              frames: it.chosen.way.map((frame) => ({ text: frameText(frame), own: frame.own })).reverse(),
              note: '',
            },
          ]
        : []),
    ],
  })),

  findings: pinSource(codeFindings, ({ findings }, { rows = '' }) => {
    const chosen = rows === '' ? findings : findings.filter(({ key }) => rows.split('\n').includes(key));
    const { shown, leftOut } = firstOf(chosen, MOST_ROWS);
    const one = shown.length === 1 ? shown[0] : undefined;
    return {
      title: one ? `${one.title} in ${one.service}` : 'What costs more than it should',
      about: [
        ...about(
          'service',
          shown.map(({ service }) => service),
        ),
        ...about(
          'habit',
          shown.map(({ habit }) => habit),
        ),
        ...about(
          'code',
          shown.map(({ place }) => place.name),
        ),
      ],
      evidence: [
        {
          form: 'table',
          title: 'Findings',
          columns: [
            { title: 'service', unit: 'text' },
            { title: 'habit', unit: 'text' },
            { title: 'at', unit: 'text' },
            { title: 'share', unit: 'share' },
            { title: 'usual, at most', unit: 'share' },
            { title: '', unit: 'text' },
          ],
          rows: shown.map((it) => [
            `${it.service} ${it.version}`.trim(),
            it.title,
            `${it.place.name} ${it.place.file}:${it.place.line}`,
            it.share,
            it.usual?.high ?? null,
            it.verdict,
          ]),
          leftOut,
        },
        ...(one ? [{ form: 'facts' as const, title: 'What to do', facts: [['advice', one.advice]] as [string, string][] }] : []),
      ],
    };
  }),
} satisfies Record<string, PinSource>;

function frameText({ name, file, line }: FrameLike): string {
  return file === '' ? name : `${name} ${file}${line > 0 ? `:${line}` : ''}`;
}

const share = (value: number, whole: number) => (whole > 0 ? value / whole : 0);

function flameOf({ tree, lit, before }: CodeProfile): FlameEvidence {
  const largest = tree.frame
    .map((_, at) => at)
    .sort((a, b) => Math.max(tree.lit[b], tree.before[b]) - Math.max(tree.lit[a], tree.before[a]))
    .slice(0, MOST_CALLS);
  // A call is never kept without the ones above it: their cost holds its own, so that they come first.
  const kept = [...new Set(largest)].sort((a, b) => a - b);
  const places = new Map(kept.map((node, at) => [node, at]));
  return {
    form: 'flame',
    title: 'Calls, before above and lit below',
    unit: 'share',
    calls: kept
      .filter((node) => tree.parent[node] < 0 || places.has(tree.parent[node]))
      .map((node) => ({
        name: tree.frames[tree.frame[node]]?.name ?? 'all',
        parent: tree.parent[node] < 0 ? -1 : places.get(tree.parent[node])!,
        own: tree.frames[tree.frame[node]]?.own ?? false,
        lit: share(tree.lit[node], lit.value),
        before: share(tree.before[node], before.value),
      })),
  };
}
