import type { Evidence } from '../../src/core/casebook/evidence/evidence.ts';

const AT = Date.parse('2026-05-02T14:00:00Z');

/** One piece of evidence of each form. @param text stands wherever a text can stand */
export function everyForm(text: string): Evidence[] {
  return [
    {
      form: 'spread',
      title: text,
      before: [
        [384, 20],
        [390, 5],
      ],
      lit: [
        [384, 3],
        [570, 12],
      ],
    },
    {
      form: 'series',
      title: text,
      unit: 'duration',
      from: AT,
      stepMs: 60_000,
      lines: [
        { name: text, role: 'lit', values: [1e6, null, 3e6] },
        { name: 'Lock', role: 'part', values: [1e6, 2e6, 0] },
        { name: 'most', role: 'limit', values: [2e6, 2e6, 2e6] },
      ],
      lit: { from: AT + 60_000, to: AT + 120_000 },
    },
    {
      form: 'table',
      title: text,
      columns: [
        { title: text, unit: 'text' },
        { title: 'calls before', unit: 'count' },
        { title: 'first', unit: 'time' },
      ],
      rows: Array.from({ length: 15 }, (_, at) => [text, at, AT + at]),
      leftOut: 4,
    },
    {
      form: 'parts',
      title: text,
      unit: 'duration',
      whole: 100,
      parts: [
        { name: text, note: text, kind: 'lock', value: 97, before: 1 },
        { name: 'manifests', note: '', kind: 'own', value: 3, before: null },
      ],
    },
    { form: 'figures', title: text, figures: [{ name: text, unit: 'share', lit: 0.81, before: 0, note: text }] },
    { form: 'lines', title: text, lines: [{ at: AT, severity: 'error', service: text, text, marked: true }] },
    {
      form: 'stack',
      title: text,
      frames: [
        { text, own: true },
        { text: 'Connection.receive', own: false },
      ],
      note: text,
    },
    {
      form: 'tree',
      title: text,
      unit: 'duration',
      nodes: [
        { depth: 0, name: text, note: text, value: null, starts: true },
        { depth: 1, name: 'manifests', note: 'waits', value: 5e9, starts: false },
      ],
    },
    {
      form: 'timeline',
      title: text,
      durationNs: 100,
      spans: [
        {
          depth: 0,
          service: 'gangway',
          name: text,
          startNs: 0,
          durationNs: 100,
          failed: true,
          path: [
            [0, 10],
            [90, 100],
          ],
        },
        { depth: 1, service: text, name: 'PUT', startNs: 10, durationNs: 80, failed: false, path: [[10, 90]] },
      ],
      leftOut: 2,
    },
    {
      form: 'flame',
      title: text,
      unit: 'share',
      calls: [
        { name: 'all', parent: -1, own: false, lit: 1, before: 1 },
        { name: text, parent: 0, own: true, lit: 0.7, before: 0.2 },
      ],
    },
    { form: 'text', title: text, text },
    { form: 'facts', title: text, facts: [[text, text]] },
  ];
}
