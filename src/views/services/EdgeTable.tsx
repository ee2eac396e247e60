import type { ReactNode } from 'react';
import type { ServiceOverview } from '../../api/services/overview.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { betweenNs } from '../../ui/topology/between.ts';
import { nameOfNode, pagePath } from '../../ui/topology/pagePath.ts';
import styles from './Service.module.css';
import { pair, SumTable } from './SumTable.tsx';

type Edge = ServiceOverview['callers'][number];

const words = (ns: number | null) => (ns === null ? '–' : formatDuration(ns));

interface EdgeTableProps {
  readonly edges: readonly Edge[];
  readonly end: 'from' | 'to';
  readonly heading: ReactNode;
  /** What is said when there are none. */
  readonly none: string;
}

/** Calls with another node, as both sides measured them. */
export function EdgeTable({ edges, end, heading, none }: EdgeTableProps) {
  const { href } = useScope();
  if (edges.length === 0)
    return (
      <>
        {heading}
        <p className={styles.quiet}>{none}</p>
      </>
    );
  const path = (edge: Edge) => {
    const kind = end === 'from' ? edge.fromKind : edge.toKind;
    return pagePath({ id: edge[end], kind, service: kind === 'service' ? edge[end] : null }) ?? '/map';
  };
  const thereNs = ({ litCallee }: Edge) => (litCallee.calls === 0 ? null : litCallee.meanNs);
  const litBetweenNs = (edge: Edge) => betweenNs(edge.lit, edge.litCallee);
  const beforeBetweenNs = (edge: Edge) => betweenNs(edge.before, edge.beforeCallee);
  return (
    <SumTable
      heading={heading}
      title={end === 'from' ? 'callers' : 'callees'}
      head={end === 'from' ? 'caller' : 'callee'}
      rows={edges}
      nameOf={(edge) => nameOfNode(edge[end])}
      rowKey={(edge) => `${edge[end]} ${edge.protocol}`}
      hrefOf={(edge) => href(path(edge))}
      more={[
        { key: 'mean there ns', title: 'mean there', value: thereNs, cell: (edge) => words(thereNs(edge)) },
        {
          key: 'between ns',
          title: 'between',
          value: litBetweenNs,
          cell: (edge) => pair(litBetweenNs(edge), beforeBetweenNs(edge), formatDuration),
          beside: [['between ns before', beforeBetweenNs]],
        },
      ]}
    />
  );
}
