import { maskPath, maskUrl } from '../../src/core/visits/pageMask.ts';
import type { Told } from './outbox.ts';
import { isThirdParty } from './resources.ts';
import { hex } from './session.ts';
import type { SnippetSettings } from './settings.ts';
import { epochMs, positive, type Views } from './views.ts';

/** A request of a script while it is under way, for whoever waits for an effect. */
export interface OwnRequest {
  readonly traceId: string;
  readonly startMs: number;
  endMs: number | undefined;
  status: number;
}

/**
 * Follows what scripts ask servers for. Requests to the page's own origin, and to those that the page names, get a `traceparent`, so that the
 * visit and the trace are one (https://www.w3.org/TR/trace-context/).
 */
export function followRequests(
  views: Views,
  settings: SnippetSettings,
  tell: (told: Told) => void,
  began: (request: OwnRequest, isOwn: boolean) => void,
): void {
  const traced = new Set([location.origin, ...settings.trace]);
  const start = (
    address: string,
  ): { request: OwnRequest; url: URL; isTraced: boolean; end: (status: number) => void } | undefined => {
    let url: URL;
    try {
      url = new URL(address, location.href);
    } catch {
      return undefined;
    }
    if (url.href.startsWith(settings.door) || !/^https?:$/.test(url.protocol)) return undefined;
    const isTraced = traced.has(url.origin);
    const view = views.open;
    const request: OwnRequest = {
      traceId: isTraced ? hex(16) : '',
      startMs: epochMs(performance.now()),
      endMs: undefined,
      status: 0,
    };
    views.stirred(1);
    const isThird = isThirdParty(url.href, settings);
    began(request, !isThird);
    const end = (status: number) => {
      if (request.endMs !== undefined) return;
      request.endMs = epochMs(performance.now());
      request.status = status;
      views.stirred(-1);
      tell({
        k: 'resource',
        t: request.startMs,
        p: view.page,
        n: isThird ? maskUrl(url.href, location.href) : `${url.origin}${maskPath(url.pathname)}`,
        d: positive(request.endMs - request.startMs),
        ...(request.traceId && { tr: request.traceId }),
        x: { view: view.id, type: 'fetch', status, ...(isThird && { party: 'third' }) },
      });
    };
    return { request, url, isTraced, end };
  };
  const parent = ({ traceId }: OwnRequest) => `00-${traceId}-${hex(8)}-01`;

  const fetchOf = window.fetch;
  window.fetch = function (this: unknown, input: RequestInfo | URL, init?: RequestInit) {
    const followed = start(input instanceof Request ? input.url : String(input));
    if (!followed) return fetchOf.call(window, input, init);
    let given = init;
    if (followed.isTraced) {
      const headers = new Headers(init?.headers ?? (input instanceof Request ? input.headers : undefined));
      if (!headers.has('traceparent')) headers.set('traceparent', parent(followed.request));
      given = { ...init, headers };
    }
    const answer = fetchOf.call(window, input, given);
    answer.then(
      ({ status }) => followed.end(status),
      () => followed.end(0),
    );
    return answer;
  };

  const { open, send } = XMLHttpRequest.prototype;
  const addresses = new WeakMap<XMLHttpRequest, string>();
  XMLHttpRequest.prototype.open = function (this: XMLHttpRequest, ...given: unknown[]) {
    addresses.set(this, String(given[1]));
    return (open as (...all: unknown[]) => void).apply(this, given);
  } as typeof open;
  XMLHttpRequest.prototype.send = function (this: XMLHttpRequest, body?: Document | XMLHttpRequestBodyInit | null) {
    const followed = start(addresses.get(this) ?? '');
    if (followed) {
      if (followed.isTraced) this.setRequestHeader('traceparent', parent(followed.request));
      this.addEventListener('loadend', () => followed.end(this.status));
    }
    return send.call(this, body);
  };
}
