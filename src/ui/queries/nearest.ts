import { useState } from 'react';
import { type Scope, scopeQuery } from '../../core/scope/scope.ts';
import { useScope } from '../state/scopeState.ts';
import { fetchJson } from './fetchJson.ts';

/** A way to the trace of a scope whose duration is nearest to one, the example behind a place in a picture; and why it did not lead there. */
export function useNearest(): { openNearest: (scope: Scope, durationNs: number) => void; refused: Error | null } {
  const { href } = useScope();
  const [refused, setRefused] = useState<Error | null>(null);
  const go = async (scope: Scope, durationNs: number) => {
    setRefused(null);
    const query = { ...scopeQuery(scope, Date.now()), durationNs: String(Math.round(durationNs)) };
    const { traceId } = await fetchJson<{ traceId: string }>('/api/traces/nearest', query);
    location.href = href(`/traces/${traceId}`);
  };
  return { openNearest: (scope, durationNs) => void go(scope, durationNs).catch(setRefused), refused };
}
