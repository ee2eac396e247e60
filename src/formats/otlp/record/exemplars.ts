import { messageToJson } from '../json/toJson.ts';
import { EXPONENTIAL_POINT, HISTOGRAM_POINT, type MessageType, NUMBER_POINT } from '../wire/messages.ts';

/** A single measurement that a point of a series is made of, with the span that it was taken in. */
export interface Exemplar {
  /** In the unit of its series. */
  readonly value: number;
  /** Hex. */
  readonly traceId: string;
  readonly spanId: string;
}

const POINTS: Readonly<Record<string, MessageType>> = {
  gauge: NUMBER_POINT,
  sum: NUMBER_POINT,
  histogram: HISTOGRAM_POINT,
  exponential: EXPONENTIAL_POINT,
};

/**
 * The exemplars of a kept data point that name a span.
 *
 * @param type of its series, as the dictionary of series has it @param point the OTLP data point
 */
export function exemplarsOf(type: string, point: Uint8Array): Exemplar[] {
  const shape = POINTS[type];
  if (!shape) return [];
  const { exemplars = [] } = messageToJson(point, shape) as { readonly exemplars?: readonly Record<string, unknown>[] };
  return exemplars.flatMap(({ asDouble, asInt, traceId, spanId }) => {
    const value = Number(asDouble ?? asInt);
    return typeof traceId === 'string' && typeof spanId === 'string' && traceId !== '' && Number.isFinite(value)
      ? [{ value, traceId, spanId }]
      : [];
  });
}
