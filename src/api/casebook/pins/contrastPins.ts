import { contrast } from '../../contrast/contrast.ts';
import { about, firstOf, type PinSource, pinSource } from './pinSource.ts';

const MOST_ROWS = 20;

export const CONTRAST_PINS = {
  contrast: pinSource(contrast, ({ rows, maybe, toExplain, outcome, a, b, ruledOut }, { rows: keys = '' }) => {
    const unit = outcome === 'duration' ? ('duration' as const) : ('share' as const);
    const sure = keys === '' ? rows : [...rows, ...maybe].filter(({ key }) => keys.split('\n').includes(key));
    const { shown, leftOut } = firstOf(sure, MOST_ROWS);
    const share = (amount: number) => (toExplain === 0 ? 0 : amount / toExplain);
    return {
      title: 'What the bad ones have in common',
      about: about(
        'condition',
        shown.map(({ key }) => key),
      ),
      evidence: [
        {
          form: 'table',
          title: outcome === 'duration' ? 'What explains the extra time' : 'What explains the failures',
          columns: [
            { title: 'requests with', unit: 'text' },
            { title: 'explain', unit: 'share' },
            { title: 'at least', unit: 'share' },
            { title: 'at most', unit: 'share' },
            { title: 'in A', unit: 'count' },
            { title: 'in B', unit: 'count' },
            { title: '', unit: 'text' },
          ],
          rows: shown.map((it) => [
            it.key,
            share(it.amount),
            share(it.range[0]),
            share(it.range[1]),
            it.requests.a,
            it.requests.b,
            it.sure ? '' : 'may be nothing',
          ]),
          leftOut,
        },
        {
          form: 'figures',
          title: 'A against B',
          figures: [
            { name: 'mean', unit, before: b.mean, lit: a.mean, note: 'B, and A' },
            { name: 'requests', unit: 'count', before: b.requests, lit: a.requests, note: '' },
            { name: 'to explain', unit, before: null, lit: toExplain, note: '' },
          ],
        },
        ...(ruledOut.length === 0
          ? []
          : [
              {
                form: 'table' as const,
                title: 'What makes no difference',
                columns: [
                  { title: 'field', unit: 'text' as const },
                  { title: 'of', unit: 'text' as const },
                  { title: 'values', unit: 'count' as const },
                  { title: 'explains at most', unit: 'share' as const },
                ],
                rows: ruledOut.slice(0, MOST_ROWS).map((it) => [it.field, it.service, it.values, it.atMost]),
                leftOut: Math.max(0, ruledOut.length - MOST_ROWS),
              },
            ]),
      ],
    };
  }),
} satisfies Record<string, PinSource>;
