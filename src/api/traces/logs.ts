import { z } from 'zod';
import { formatIso } from '../../core/time/iso.ts';
import { logsOfTrace } from '../../store/traces/traceLogs.ts';
import { endpoint } from '../endpoint.ts';
import { traceIdText } from '../parameters.ts';
import { attributes } from './one.ts';

export type TraceLogs = z.output<typeof logs.answer>;

const MOST = 2000;

export const logs = endpoint({
  path: '/api/traces/{traceId}/logs',
  least: 'reader',
  summary: 'The log records that name a trace, by time.',
  runs: 'analysis',
  query: z.strictObject({ traceId: traceIdText }),
  answer: z.object({
    total: z.int(),
    logs: z.array(
      z.object({
        at: z.string().meta({ description: 'ISO 8601 with nine decimals.' }),
        spanId: z.string().nullable(),
        service: z.string(),
        severity: z.int().meta({ description: 'OpenTelemetry’s number, 1 to 24; 0 when not set.' }),
        severityText: z.string(),
        eventName: z.string(),
        body: z.string().meta({ description: 'As text; JSON where it is not text.' }),
        attributes,
      }),
    ),
  }),
  run: async ({ traceId }) => {
    const all = await logsOfTrace(traceId);
    return {
      total: all.length,
      logs: all.slice(0, MOST).map(({ time, body, spanId, service, severity, severityText, eventName, attributes: its }) => ({
        at: formatIso(time),
        spanId,
        service,
        severity,
        severityText,
        eventName,
        body: typeof body === 'string' ? body : JSON.stringify(body),
        attributes: its,
      })),
    };
  },
});
