import { z } from 'zod';
import { requestMap } from '../../core/topology/requestMap.ts';
import { assemble } from '../../core/trace/assemble.ts';
import { outlineSpans } from '../../store/blocks/readTrace.ts';
import { peerServices } from '../../store/rollups/traffic.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { traceIdText } from '../parameters.ts';

export type TraceMap = z.output<typeof traceMap.answer>;

export const traceMap = endpoint({
  path: '/api/traces/{traceId}/map',
  least: 'reader',
  summary: 'What one request touched of the map: how often, in which order, and where its time went.',
  runs: 'analysis',
  query: z.strictObject({ traceId: traceIdText }),
  answer: z.object({
    nodes: z.array(
      z.object({ id: z.string(), share: z.number().meta({ description: "Of the request's duration." }), failed: z.boolean() }),
    ),
    edges: z.array(
      z.object({
        from: z.string(),
        to: z.string(),
        protocol: z.string(),
        calls: z.int(),
        failed: z.int(),
        order: z.int().meta({ description: 'Where the first of them comes among all, from 1.' }),
      }),
    ),
    durationNs: z.number(),
    entry: z.string(),
  }),
  run: async ({ traceId }) => {
    const [spans, peers] = await Promise.all([outlineSpans(traceId), peerServices()]);
    const trace = assemble(spans);
    if (!trace) throw new ApiError(404, `no trace ${traceId} is kept`);
    const { nodes, edges } = requestMap(trace, (peer) => peers.get(peer));
    const root = trace.nodes[trace.roots[0]];
    return { nodes: [...nodes], edges: [...edges], durationNs: root.end - root.start, entry: root.span.name };
  },
});
