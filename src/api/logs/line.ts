import { z } from 'zod';
import { environmentOf } from '../../core/accounts/environment.ts';
import { severityOf } from '../../core/logs/severity.ts';
import { NO_TEXT } from '../../core/logs/textQuery.ts';
import { condition } from '../../core/scope/condition.ts';
import { formatIso } from '../../core/time/iso.ts';
import { attributeText } from '../../core/trace/attributeText.ts';
import { linePage } from '../../store/logs/linePage.ts';
import { oneLine, parseLineId } from '../../store/logs/oneLine.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { attributes } from '../traces/one.ts';
import { describeLine, lineAnswer } from './lines.ts';

export type OneLogLine = z.output<typeof logLine.answer>;

const lineId = z.string().transform((text, context) => {
  const id = parseLineId(text);
  if (id) return id;
  context.addIssue({ code: 'custom', message: 'the id of a line is expected, as a list of lines has it' });
  return z.NEVER;
});

export const logLine = endpoint({
  path: '/api/logs/lines/{line}',
  least: 'reader',
  summary: 'One line: its whole record and resource, its trace, and what the same instance wrote just before and after.',
  runs: 'analysis',
  query: z.strictObject({ line: lineId }),
  answer: z.object({
    at: z.string(),
    severity: z.string(),
    severityNumber: z.number(),
    severityText: z.string(),
    service: z.string(),
    instance: z.string(),
    body: z.string().meta({ description: 'As text; JSON where it is not text.' }),
    eventName: z.string(),
    traceId: z.string().nullable(),
    spanId: z.string().nullable(),
    attributes,
    resource: attributes,
    around: z
      .array(lineAnswer)
      .meta({ description: 'Lines of the same instance, in order of time, the line itself among them.' }),
  }),
  raw: { what: 'a line', of: ({ resource }) => [environmentOf(resource)] },
  run: async ({ line }, { signal }) => {
    const found = await oneLine(line);
    if (!found) throw new ApiError(404, 'this line is no longer stored');
    const { record, resource } = found;
    const service = String(resource['service.name'] ?? 'unknown_service');
    const instance = String(resource['service.instance.id'] ?? '');
    const where = [
      condition('service', 'is', service),
      ...(instance === '' ? [] : [condition('service.instance.id', 'is', instance)]),
    ];
    const scope = { where, text: NO_TEXT, severities: [], shapes: [], without: [] };
    const [earlier, later] = await Promise.all([
      linePage({ ...scope, from: record.time - AROUND_NS, to: record.time + 1n }, 'newest', BESIDE + 1, null, [], { signal }),
      linePage({ ...scope, from: record.time + 1n, to: record.time + AROUND_NS }, 'oldest', BESIDE, null, [], { signal }),
    ]);
    return {
      at: formatIso(record.time),
      severity: severityOf(record.severity),
      severityNumber: record.severity,
      severityText: record.severityText,
      service,
      instance,
      body: attributeText(record.body) ?? '',
      eventName: record.eventName,
      traceId: record.traceId,
      spanId: record.spanId,
      attributes: record.attributes,
      resource,
      around: [...earlier.lines.toReversed(), ...later.lines].map(describeLine),
    };
  },
});

/** Lines before and after that are shown, and how far away they are looked for. */
const BESIDE = 6;
const AROUND_NS = 300_000_000_000n;
