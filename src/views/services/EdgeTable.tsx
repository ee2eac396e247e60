import type { ServiceOverview } from '../../api/services/overview.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { betweenNs } from '../../ui/topology/between.ts';
import { nameOfNode, pagePath } from '../../ui/topology/pagePath.ts';
import styles from './Service.module.css';
import { type SumRow, SumTable } from './SumTable.tsx';

type Edge = ServiceOverview['callers'][number];

/** Calls with another node, as both sides measured them. */
export function EdgeTable({ edges, end, none }: { edges: readonly Edge[]; end: 'from' | 'to'; none: string }) {
  const { href } = useScope();
  if (edges.length === 0) return <p className={styles.quiet}>{none}</p>;
  const path = (edge: Edge) => {
    const kind = end === 'from' ? edge.fromKind : edge.toKind;
    return pagePath({ id: edge[end], kind, service: kind === 'service' ? edge[end] : null }) ?? '/map';
  };
  const words = (ns: number | null) => (ns === null ? '–' : formatDuration(ns));
  const rows = edges.map(
    (edge): SumRow => ({
      key: `${edge[end]} ${edge.protocol}`,
      name: (
        <a href={href(path(edge))} suppressHydrationWarning>
          {nameOfNode(edge[end])}
        </a>
      ),
      lit: edge.lit,
      before: edge.before,
      state: edge.state,
      rest: [
        edge.litCallee.calls === 0 ? '–' : words(edge.litCallee.meanNs),
        `${words(betweenNs(edge.before, edge.beforeCallee))} → ${words(betweenNs(edge.lit, edge.litCallee))}`,
      ],
    }),
  );
  return <SumTable head={end === 'from' ? 'caller' : 'callee'} rows={rows} restHeads={['mean there', 'between']} />;
}
