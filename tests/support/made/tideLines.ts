import type { LogLines } from '../../../src/api/logs/lines.ts';
import type { LogOverview } from '../../../src/api/logs/overview.ts';
import { until } from '../installation.ts';
import { getJson, sendJson } from '../sending.ts';
import { logs } from './otlpSignals.ts';
import { randomFrom } from './random.ts';

/* Log lines of two services, forty minutes of which an error is new, and how they are asked for: counts are held against these. */

export const MINUTE = 60_000;
export const FROM = (Math.floor(Date.now() / MINUTE) - 100) * MINUTE;
/** Forty minutes before, forty lit. */
export const LIT = FROM + 45 * MINUTE;
export const TO = LIT + 40 * MINUTE;
export const TRACE = 'aa7651916cd43dd8448eb211c80319c0';
const { below, oneOf } = randomFrom(19);

export interface Sent {
  readonly service: string;
  readonly at: number;
  readonly severity: number;
  readonly text: string;
  readonly route: string;
  readonly traceId?: string;
}

export const ROUTES = ['tern-marram', 'fennick-saltern', 'little-auk'];

const usual = (from: number): Sent[] =>
  Array.from({ length: 2_400 }, (_, number) => {
    const route = oneOf(ROUTES);
    const service = number % 3 === 0 ? 'tidewatch' : 'holds';
    const text =
      service === 'tidewatch'
        ? `window of ${route} read, ${below(300)} points`
        : number % 2 === 0
          ? `hold placed for OR${below(9)}C${10 + below(89)}E${below(9)}: ${below(9)} guests`
          : `hold released after ${below(4_000)} ms`;
    return { service, at: from + below(40 * MINUTE), severity: service === 'holds' ? 9 : 5, text, route };
  });

export const sent: Sent[] = [
  ...usual(FROM),
  ...usual(LIT),
  ...Array.from({ length: 180 }, (_, number) => {
    const route = oneOf(ROUTES);
    return {
      service: 'tidewatch',
      at: LIT + 10 * MINUTE + below(30 * MINUTE),
      severity: 17,
      text: `met-relay.example answered 403 to window of ${route}: key k-0931 unknown`,
      route,
      ...(number === 0 && { traceId: TRACE }),
    };
  }),
];

/** Sends them all. */
export async function sendLines(url: string): Promise<void> {
  for (const service of ['tidewatch', 'holds']) {
    const lines = sent.filter((it) => it.service === service);
    for (let from = 0; from < lines.length; from += 700)
      // As a sender does: what is refused for the moment comes again.
      await until(
        () =>
          sendJson(
            url,
            '/v1/logs',
            logs(
              service,
              lines.slice(from, from + 700).map(({ at, severity, text, route, traceId }) => ({
                atMs: at,
                severity,
                text,
                attributes: [{ key: 'ferry.route', value: { stringValue: route } }],
                ...(traceId && { traceId }),
              })),
            ),
          ),
        () => true,
      );
  }
}

export const iso = (ms: number) => new Date(ms).toISOString();
const BEFORE = encodeURIComponent(`${iso(FROM)}/${iso(FROM + 40 * MINUTE)}`);
/** The lit window and the one before it, as an address has them. */
export const query = (more = '') => `from=${iso(LIT)}&to=${iso(TO)}&before=${BEFORE}${more}`;
export const lit = sent.filter(({ at }) => at >= LIT);
export const before = sent.filter(({ at }) => at < LIT);
export const count = (of: readonly Sent[], fits: (it: Sent) => boolean) => of.filter(fits).length;
export const sum = (counts: readonly number[]) => counts.reduce((all, it) => all + it, 0);
export const textOf = ({ pieces }: Pick<LogOverview['shapes'][number], 'pieces'>) =>
  pieces.map((it) => (typeof it === 'string' ? it : '…')).join('');
/** What an installation says of both windows, and its lines of the lit one. */
export const askOverview = (url: string, more = '') => getJson(url, `/api/logs?${query(more)}`) as Promise<LogOverview>;
export const askLines = (url: string, more = '') => getJson(url, `/api/logs/lines?${query(more)}`) as Promise<LogLines>;
