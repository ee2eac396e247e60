import { poolDetail } from '../../pools/pool.ts';
import { about, type PinSource, pinSource } from './pinSource.ts';

const MOST_SIZES = 30;

export const POOL_PINS = {
  pool: pinSource(poolDetail, (it, _, { service = '', pool = '' }) => ({
    title: `Pool ${pool} of ${service}`,
    about: [
      ...about('pool', [`${service} ${pool}`]),
      ...about('service', [service]),
      ...about(
        'moved',
        it.moved.map(({ what }) => what),
      ),
    ],
    evidence: [
      {
        form: 'figures',
        title: 'The pool',
        figures: [
          {
            name: 'waits for a connection, p95',
            unit: 'duration',
            before: seconds(it.before.waitP95),
            lit: seconds(it.lit.waitP95),
            note: it.worst ? 'while requests waited most' : '',
          },
          {
            name: 'holds one, p95',
            unit: 'duration',
            before: seconds(it.before.holdP95),
            lit: seconds(it.lit.holdP95),
            note: '',
          },
          { name: 'arrivals', unit: 'rate', before: it.before.arrivals, lit: it.lit.arrivals, note: 'all instances' },
          { name: 'size', unit: 'number', before: it.before.size, lit: it.lit.size, note: 'of one instance' },
          {
            name: 'enough',
            unit: 'number',
            before: it.sizing.before.enough,
            lit: it.sizing.lit.enough,
            note: 'connections for the wait that is wanted',
          },
        ],
      },
      {
        form: 'table',
        title: 'What moved, in order',
        columns: [
          { title: 'when', unit: 'time' },
          { title: 'what', unit: 'text' },
          { title: 'of', unit: 'text' },
        ],
        rows: it.moved.map(({ at, what, of }) => [at, what, of]),
        leftOut: 0,
      },
      {
        form: 'parts',
        title: 'What would be waited for at other sizes, p95',
        unit: 'duration',
        whole: null,
        parts: it.sizing.lit.points.slice(0, MOST_SIZES).map((point) => ({
          name: `${point.size} connections`,
          note: '',
          kind: 'pool',
          value: point.p95 * 1e9,
          before: (it.sizing.before.points.find(({ size }) => size === point.size)?.p95 ?? 0) * 1e9,
        })),
      },
    ],
  })),
} satisfies Record<string, PinSource>;

const seconds = (value: number | null) => (value === null ? null : value * 1e9);
