import { MantineProvider } from '@mantine/core';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import type { Scope } from '../../core/scope/scope.ts';
import { AnswerError } from '../queries/fetchJson.ts';
import { PageUrlProvider } from '../state/pageUrl.ts';
import { ScopeProvider, useScopeState } from '../state/scopeState.ts';
import { type SignedIn, WhoProvider } from '../state/who.ts';
import { useViewersZone, ZoneProvider } from '../state/zone.ts';
import { theme } from '../theme/mantine.ts';
import type { Scheme } from '../theme/scheme.ts';
import { SchemeProvider, useSchemeState } from '../theme/schemeState.ts';

/** What the server tells every page's island. */
export interface IslandStart {
  readonly scope: Scope;
  readonly scheme: Scheme;
  readonly zone: string;
  /** The path of the page. */
  readonly path: string;
  /** Who is signed in; absent where there are no accounts. */
  readonly who?: SignedIn;
  /** Epoch milliseconds. */
  readonly now: number;
}

/** The root of a page's island: theme, zone, scope and queries for what is inside. */
export function Island({ start, children }: { start: IslandStart; children: ReactNode }) {
  const [client] = useState(
    () =>
      new QueryClient({
        defaultOptions: {
          queries: {
            staleTime: 10_000,
            // A question that cannot be answered is not asked again; one that did not get through is, for a while.
            retry: (count, error) => count < 3 && !(error instanceof AnswerError && error.status >= 400 && error.status < 500),
          },
        },
      }),
  );
  const scope = useScopeState(start.scope);
  const zone = useViewersZone(start.zone);
  const scheme = useSchemeState(start.scheme);
  return (
    <MantineProvider theme={theme} forceColorScheme={scheme.scheme === 'dusk' ? 'dark' : 'light'}>
      <QueryClientProvider client={client}>
        <SchemeProvider value={scheme}>
          <ZoneProvider value={zone}>
            <PageUrlProvider value={start.path}>
              <WhoProvider value={start.who}>
                <ScopeProvider value={scope}>{children}</ScopeProvider>
              </WhoProvider>
            </PageUrlProvider>
          </ZoneProvider>
        </SchemeProvider>
      </QueryClientProvider>
    </MantineProvider>
  );
}
