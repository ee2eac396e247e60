import { createHash } from 'node:crypto';
import { z } from 'zod';
import { layOut } from '../../core/maps/layOut.ts';
import { DIRECTIONS, type Point } from '../../core/maps/mapLayout.ts';
import { ApiError, endpoint } from '../endpoint.ts';

/** What one page can draw; a company of 300 services has about a thousand calls. */
const MOST_NODES = 1_500;
const MOST_CALLS = 6_000;
const KEPT_MS = 3_600_000;

const point = z.tuple([z.number(), z.number()]);

export type LayoutAnswer = z.output<typeof layout.answer>;
export type LayoutQuestion = z.input<typeof layout.query>;

export const layout = endpoint({
  method: 'POST',
  path: '/api/map/layout',
  least: 'reader',
  audit: false,
  summary: 'Where the nodes of a map stand, in layers by the direction of calls, and by which points the calls run.',
  runs: 'analysis',
  query: z.strictObject({
    ids: z
      .array(z.string().max(1_000))
      .max(MOST_NODES, 'a map of so many nodes cannot be laid out')
      .refine((ids) => new Set(ids).size === ids.length, 'each id once'),
    calls: z
      .array(z.tuple([z.int().min(0), z.int().min(0)]))
      .max(MOST_CALLS, 'a map of so many calls cannot be laid out')
      .meta({ description: 'Caller and callee, by their place in ids, from 0.' }),
    direction: z.enum(DIRECTIONS),
    former: z
      .array(point.nullable())
      .optional()
      .meta({ description: 'Where the nodes stood before, in the order of ids: they keep their order among each other.' }),
  }),
  answer: z.object({
    plates: z.array(point).meta({ description: 'The upper left corner of each node, in the order of ids.' }),
    ways: z
      .array(z.array(point))
      .meta({ description: 'The points of each call, in the order of calls; none of a node to itself.' }),
    width: z.number(),
    height: z.number(),
  }),
  // Ids and calls alone decide.
  remember: async (query) => ({ key: createHash('sha256').update(JSON.stringify(query)).digest('base64'), ms: KEPT_MS }),
  run: async ({ ids, calls, direction, former = [] }) => {
    if (calls.flat().some((at) => at >= ids.length)) throw new ApiError(400, `calls: ids has only ${ids.length} members`);
    const edges = calls.map(([from, to], at) => ({ key: String(at), from: ids[from], to: ids[to] }));
    const stood = new Map(ids.flatMap((id, at) => (former[at] ? [[id, { x: former[at][0], y: former[at][1] }] as const] : [])));
    const { plates, ways, width, height } = await layOut(ids, edges, direction, stood);
    const rounded = ({ x, y }: Point): [number, number] => [Math.round(10 * x) / 10, Math.round(10 * y) / 10];
    return {
      plates: ids.map((id) => rounded(plates.get(id)!)),
      ways: edges.map(({ key }) => (ways.get(key) ?? []).map(rounded)),
      width,
      height,
    };
  },
});
