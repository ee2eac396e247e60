import { maskUrl } from '../../src/core/visits/pageMask.ts';
import type { Told } from './outbox.ts';
import type { SnippetSettings } from './settings.ts';
import { epochMs, positive, type Views } from './views.ts';

const MOST_OF_VIEW = 120;
/** Shorter pieces of work do not keep a page from answering. */
const LONG_MS = 50;

/** Whether an address is a third party's: neither of the page's site nor of a host that is called own. */
export function isThirdParty(url: string, { own }: Pick<SnippetSettings, 'own'>, page: string = location.hostname): boolean {
  try {
    const { hostname, protocol } = new URL(url, location.href);
    if (!/^https?:$/.test(protocol) || hostname === page) return false;
    const site = page.split('.').slice(-2).join('.');
    const isSameSite = page.includes('.') && !/^[\d.]+$/.test(page) && (hostname === site || hostname.endsWith(`.${site}`));
    return !isSameSite && !own.some((it) => hostname === it || hostname.endsWith(`.${it}`));
  } catch {
    return false;
  }
}

/** What pages load, with its phases as far as the server lets them be seen, and what keeps them busy, with the script that does. */
export function followResources(views: Views, settings: SnippetSettings, tell: (told: Told) => void): void {
  let [view, count] = [views.open.id, 0];
  observe('resource', (it) => {
    const entry = it as PerformanceResourceTiming;
    if (view !== views.open.id) [view, count] = [views.open.id, 0];
    // Requests of scripts are told where they are made; what is told itself is not told again.
    if (entry.initiatorType === 'beacon' || entry.initiatorType === 'fetch' || entry.initiatorType === 'xmlhttprequest') return;
    if (count++ >= MOST_OF_VIEW || entry.name.startsWith(settings.door)) return;
    const isThird = isThirdParty(entry.name, settings);
    const startMs = epochMs(entry.startTime);
    const of = startMs < views.open.startMs ? views.first : views.open;
    tell({
      k: 'resource',
      t: startMs,
      p: of.page,
      n: maskUrl(entry.name, location.href),
      d: positive(entry.duration),
      x: {
        view: of.id,
        type: entry.initiatorType,
        bytes: entry.transferSize,
        ...timings(entry),
        ...(isThird && { party: 'third' }),
      },
    });
  });
  followTasks(views, settings, tell);
}

function timings(entry: PerformanceResourceTiming): Record<string, number> {
  // Another site has to allow that its phases are seen.
  if (entry.responseStart === 0) return {};
  const tls = entry.secureConnectionStart > 0 ? entry.connectEnd - entry.secureConnectionStart : 0;
  return {
    'dns.ms': positive(entry.domainLookupEnd - entry.domainLookupStart),
    'connect.ms': positive(entry.connectEnd - entry.connectStart - tls),
    'tls.ms': positive(tls),
    'request.ms': positive(entry.responseStart - entry.requestStart),
    'response.ms': positive(entry.responseEnd - entry.responseStart),
    status: (entry as { responseStatus?: number }).responseStatus ?? 0,
  };
}

interface FrameScript {
  readonly sourceURL: string;
  readonly invoker: string;
  readonly startTime: number;
  readonly duration: number;
}

function followTasks(views: Views, settings: SnippetSettings, tell: (told: Told) => void): void {
  const told = (startTime: number, duration: number, name: string) => {
    const startMs = epochMs(startTime);
    const of = startMs < views.open.startMs ? views.first : views.open;
    tell({
      k: 'task',
      t: startMs,
      p: of.page,
      n: name ? maskUrl(name, location.href) : '',
      d: positive(duration),
      x: { view: of.id, ...(name && isThirdParty(name, settings) && { party: 'third' }) },
    });
  };
  const hasFrames = observe('long-animation-frame', (it) => {
    for (const script of (it as unknown as { scripts: readonly FrameScript[] }).scripts)
      if (script.duration >= LONG_MS)
        told(script.startTime, script.duration, script.sourceURL || (/^https?:/.test(script.invoker) ? script.invoker : ''));
  });
  if (!hasFrames) observe('longtask', ({ startTime, duration }) => told(startTime, duration, ''));
}

function observe(type: string, take: (entry: PerformanceEntry) => void): boolean {
  if (!PerformanceObserver.supportedEntryTypes?.includes(type)) return false;
  new PerformanceObserver((list) => {
    for (const entry of list.getEntries()) take(entry);
  }).observe({ type, buffered: true });
  return true;
}
