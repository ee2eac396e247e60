import { useScope } from '../state/scopeState.ts';

/** Said where chips change nothing: a server's sessions and a pool's connections are those of all requests. */
export function ChipsNote({ of }: { readonly of: string }) {
  const { scope } = useScope();
  if (!scope.chips.some(({ on }) => on)) return null;
  return <p className="dim">The chips narrow requests; {of} shown here are those of all requests.</p>;
}
