import { createHash } from 'node:crypto';
import { z } from 'zod';
import { maskPath, maskUrl } from '../../core/visits/pageMask.ts';
import type { OutgoingLog } from '../otlp/record/encodeLogs.ts';

/*
 * HTTP Archive 1.2 as visits: each page of the archive is a view, each entry a resource with its phases. Headers, cookies and contents are
 * left where they are.
 */

const ms = z.number().catch(-1);
const harShape = z.object({
  log: z.object({
    pages: z
      .array(
        z.object({
          id: z.string().max(200),
          startedDateTime: z.iso.datetime({ offset: true }),
          title: z.string().max(2_000).default(''),
          pageTimings: z.object({ onLoad: ms.nullish() }).default({}),
        }),
      )
      .max(1_000)
      .default([]),
    entries: z
      .array(
        z.object({
          pageref: z.string().max(200).optional(),
          startedDateTime: z.iso.datetime({ offset: true }),
          time: ms,
          request: z.object({ url: z.string().max(20_000) }),
          response: z.object({ status: ms, bodySize: ms.optional(), content: z.object({ size: ms }).optional() }),
          timings: z
            .object({
              blocked: ms.optional(),
              dns: ms.optional(),
              connect: ms.optional(),
              ssl: ms.optional(),
              send: ms.optional(),
              wait: ms,
              receive: ms,
            })
            .partial()
            .default({}),
        }),
      )
      .max(50_000),
  }),
});

type Entry = z.output<typeof harShape>['log']['entries'][number];

/**
 * The events of the visit that an archive holds. The same archive is the same visit.
 *
 * @param app the application that it is of
 * @throws Error that says what is wrong with it
 */
export function readHar(text: string, app: string): OutgoingLog[] {
  const parsed = harShape.safeParse(JSON.parse(text));
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    throw new Error(`this is no HTTP Archive 1.2: ${issue.path.join('.')}: ${issue.message}`);
  }
  const { pages, entries } = parsed.data.log;
  const session = `har-${createHash('sha256').update(text).digest('hex').slice(0, 24)}`;
  const resource = { 'service.name': app };
  const found: OutgoingLog[] = [];
  const tell = (
    at: string,
    kind: string,
    page: string,
    name: string,
    durationMs: number | null,
    detail: OutgoingLog['attributes'],
  ) =>
    found.push({
      resource,
      scope: { name: 'dusk-lantern/har', version: '1' },
      time: BigInt(Date.parse(at)) * 1_000_000n,
      severity: 0,
      body: null,
      event: 'lantern.visit',
      attributes: {
        'session.id': session,
        'lantern.visit.kind': kind,
        'url.path': page,
        'lantern.visit.name': name,
        ...(durationMs !== null && durationMs >= 0 && { 'lantern.visit.duration_ms': durationMs }),
        'lantern.visit.order': found.length,
        'lantern.visit.detail': detail,
        ...(found.length === 0 && { 'lantern.visit.about': { from: 'an archive' } }),
      },
    });
  const listed =
    pages.length > 0
      ? pages
      : entries.slice(0, 1).map((it) => ({
          id: '',
          startedDateTime: it.startedDateTime,
          title: it.request.url,
          pageTimings: { onLoad: it.time },
        }));
  for (const page of listed) {
    const own = entries.filter(({ pageref }) => pages.length === 0 || pageref === page.id);
    const [document, ...rest] = own;
    const path = pathOf(document?.request.url ?? page.title);
    const site = document ? hostOf(document.request.url) : '';
    tell(page.startedDateTime, 'page', path, path, page.pageTimings.onLoad ?? document?.time ?? null, {
      view: page.id,
      trigger: 'load',
      ...(document && phases(document)),
    });
    for (const it of rest)
      tell(it.startedDateTime, 'resource', path, maskUrl(it.request.url), it.time, {
        view: page.id,
        ...phases(it),
        status: it.response.status,
        ...(site !== '' && !isOf(hostOf(it.request.url), site) && { party: 'third' }),
      });
  }
  return found;
}

function phases({ timings: { blocked = 0, dns = 0, connect = 0, ssl = 0, send = 0, wait = 0, receive = 0 }, response }: Entry) {
  const part = (value: number) => Math.max(0, value);
  return {
    'redirect.ms': part(blocked),
    'dns.ms': part(dns),
    // Of an archive's connection encryption is a part.
    'connect.ms': Math.max(0, part(connect) - part(ssl)),
    'tls.ms': part(ssl),
    'request.ms': part(send) + part(wait),
    'response.ms': part(receive),
    bytes: Math.max(0, response.bodySize ?? 0, response.content?.size ?? 0),
  };
}

function hostOf(url: string): string {
  return URL.canParse(url) ? new URL(url).hostname : '';
}

function pathOf(url: string): string {
  return maskPath(URL.canParse(url) ? new URL(url).pathname : url);
}

/** Whether a host belongs to the site of another. */
function isOf(host: string, site: string): boolean {
  if (host === '' || host === site) return true;
  const domain = site.split('.').slice(-2).join('.');
  return site.includes('.') && !/^[\d.]+$/.test(site) && (host === domain || host.endsWith(`.${domain}`));
}
