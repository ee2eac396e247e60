import type { Attributes } from '../../core/trace/span.ts';
import { numberIn, textIn } from '../../core/visits/visitEvent.ts';

/*
 * Page loads as HTTP Archive 1.2: what other tools for looking at page loads read and write.
 */

interface HarTimings {
  readonly blocked: number;
  readonly dns: number;
  readonly connect: number;
  readonly ssl: number;
  readonly send: number;
  readonly wait: number;
  readonly receive: number;
}

interface HarEntry {
  readonly pageref: string;
  readonly startedDateTime: string;
  /** Milliseconds: the sum of the timings that are known, but for `ssl`, which is a part of `connect`. */
  readonly time: number;
  readonly request: {
    readonly method: string;
    readonly url: string;
    readonly httpVersion: string;
    readonly headers: [];
    readonly queryString: [];
    readonly cookies: [];
    readonly headersSize: -1;
    readonly bodySize: -1;
  };
  readonly response: {
    readonly status: number;
    readonly statusText: string;
    readonly httpVersion: string;
    readonly headers: [];
    readonly cookies: [];
    readonly content: { readonly size: number; readonly mimeType: string };
    readonly redirectURL: string;
    readonly headersSize: -1;
    readonly bodySize: number;
  };
  readonly cache: Record<string, never>;
  readonly timings: HarTimings;
}

export interface Har {
  readonly log: {
    readonly version: '1.2';
    readonly creator: { readonly name: string; readonly version: string };
    readonly pages: readonly {
      readonly startedDateTime: string;
      readonly id: string;
      readonly title: string;
      readonly pageTimings: { readonly onContentLoad: -1; readonly onLoad: number };
    }[];
    readonly entries: readonly HarEntry[];
  };
}

interface Loaded {
  readonly views: readonly { readonly page: string; readonly at: number; readonly readyMs: number | null }[];
  readonly events: readonly {
    readonly at: number;
    readonly kind: string;
    readonly page: string;
    readonly name: string;
    readonly durationMs: number | null;
    readonly detail: Attributes;
  }[];
}

/** The loads of a visit as an archive. Headers, cookies and contents are never known, and stay empty. */
export function harOf({ views, events }: Loaded): Har {
  const idOf = (at: number) =>
    `view-${Math.max(
      0,
      views.findLastIndex((it) => it.at <= at + 1),
    )}`;
  const loads = events.filter(({ kind }) => kind === 'page' || kind === 'resource');
  return {
    log: {
      version: '1.2',
      creator: { name: 'Dusk Lantern', version: '1' },
      pages: views.map(({ page, at, readyMs }, place) => ({
        startedDateTime: new Date(at).toISOString(),
        id: `view-${place}`,
        title: page,
        pageTimings: { onContentLoad: -1, onLoad: readyMs ?? -1 },
      })),
      entries: loads.map(({ at, kind, page, name, durationMs, detail }) => {
        const timings = timingsOf(detail, kind === 'page' ? undefined : (durationMs ?? 0));
        const { ssl: _, ...parts } = timings;
        return {
          pageref: idOf(at),
          startedDateTime: new Date(at).toISOString(),
          time: Object.values(parts).reduce((sum, it) => sum + Math.max(0, it), 0),
          request: {
            method: 'GET',
            url: kind === 'page' ? page : name,
            httpVersion: '',
            headers: [],
            queryString: [],
            cookies: [],
            headersSize: -1,
            bodySize: -1,
          },
          response: {
            status: numberIn(detail, 'status') ?? 0,
            statusText: '',
            httpVersion: '',
            headers: [],
            cookies: [],
            content: { size: numberIn(detail, 'bytes') ?? 0, mimeType: textIn(detail, 'type') || 'x-unknown' },
            redirectURL: '',
            headersSize: -1,
            bodySize: numberIn(detail, 'bytes') ?? -1,
          },
          cache: {},
          timings,
        };
      }),
    },
  };
}

/** @param whole milliseconds of the resource; what its phases do not account for it was blocked. Of a document only its phases are known. */
function timingsOf(detail: Attributes, whole: number | undefined): HarTimings {
  const part = (name: string) => Math.max(0, numberIn(detail, name) ?? 0);
  const [dns, tls, wait, receive] = ['dns.ms', 'tls.ms', 'request.ms', 'response.ms'].map(part);
  // Of HAR's connection encryption is a part.
  const connect = part('connect.ms') + tls;
  const known = dns + connect + wait + receive;
  const blocked = part('redirect.ms') + (whole === undefined ? 0 : Math.max(0, whole - known - part('redirect.ms')));
  return { blocked, dns, connect, ssl: tls, send: 0, wait, receive };
}
