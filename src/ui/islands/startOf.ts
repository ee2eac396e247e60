import { withEncodedMarks } from '../../core/scope/pathMarks.ts';
import { chipQuery, type LitWindow, readScope, readWindow } from '../../core/scope/scope.ts';
import { readScheme, SCHEME_COOKIE } from '../theme/scheme.ts';
import type { IslandStart } from './Island.tsx';

const HOUR = 3_600_000;

interface Kept {
  readonly from: string;
  readonly to: string;
}

/** What an Astro page knows when it is asked for. */
export interface Asked {
  readonly url: URL;
  readonly cookies: { get(name: string): { value: string } | undefined };
  readonly locals: App.Locals;
}

/**
 * What every page's island starts with. Without a window in the address the last hour is lit; when nothing is kept of it, the last
 * hour of what is.
 */
export function startOf({ url, cookies, locals }: Asked, kept: Kept | null | undefined): IslandStart {
  const now = Date.now();
  return {
    scope: readScope(url.searchParams, readWindow(url.searchParams) ?? usualWindow(kept, now)),
    scheme: readScheme(cookies.get(SCHEME_COOKIE)?.value),
    zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    path: withEncodedMarks(url.pathname),
    who: locals.who,
    now,
  };
}

/** The narrowing that an address asks for, as the interface for traces takes it. */
export function narrowingOf(url: URL): Record<string, string> {
  return chipQuery(readScope(url.searchParams, { type: 'last', ms: HOUR }).chips);
}

function usualWindow(kept: Kept | null | undefined, now: number): LitWindow {
  if (!kept || Date.parse(kept.to) > now - HOUR) return { type: 'last', ms: HOUR };
  const to = Math.floor(Date.parse(kept.to) / 60_000) * 60_000 + 60_000;
  return { type: 'fixed', from: to - HOUR, to };
}
