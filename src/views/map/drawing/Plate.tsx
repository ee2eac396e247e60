import { Handle, type Node, type NodeProps, Position } from '@xyflow/react';
import { memo } from 'react';
import type { MapNode } from '../../../api/map/map.ts';
import { type Direction, PLATE } from '../../../core/maps/mapLayout.ts';
import { Stripe, type StripeParts } from '../../../ui/charts/Stripe.tsx';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { KIND_NAMES } from '../../../ui/topology/kindNames.ts';
import styles from '../Map.module.css';
import type { Role } from '../roles.ts';
import { glowWidth } from './glow.ts';

export interface PlateData extends Record<string, unknown> {
  readonly node: MapNode;
  readonly role: Role;
  /** Where calls lead. */
  readonly direction: Direction;
  /** As `overWords` has them. */
  readonly over: string;
  /** How much of the trouble comes through here, 0 to 1. */
  readonly suffers: number;
  readonly words: string;
  readonly stripe: StripeParts;
  readonly dim: boolean;
  readonly chosen: boolean;
  /** Of one request: what it did here. */
  readonly request: string;
}

export type PlateNode = Node<PlateData, 'plate'>;

/** The plate of a node: name, rate and p95, where its time goes, and its part in the trouble. */
export const Plate = memo(function Plate({ data }: NodeProps<PlateNode>) {
  const { node, role, direction, over, suffers, words, stripe, dim, chosen, request } = data;
  const starts = role.startsWith('starts');
  const passes = role.startsWith('passes');
  const isRight = direction === 'right';
  return (
    <div
      className={styles.plate}
      data-role={role}
      data-direction={direction}
      data-dim={dim}
      data-chosen={chosen}
      data-kind={node.kind}
      data-turn={node.turn}
      style={PLATE}
    >
      <Handle type="target" position={isRight ? Position.Left : Position.Top} className={styles.end} isConnectable={false} />
      {starts && <i className={styles.beam} aria-hidden="true" />}
      {passes && <i className={styles.glow} style={{ [isRight ? 'width' : 'height']: glowWidth(suffers) }} aria-hidden="true" />}
      {(over !== '' || request !== '') && (
        <b className={styles.over}>
          {starts && <StateGlyph state={role === 'starts-failures' ? 'failing' : 'strained'} />}
          {starts || request === '' ? over : request}
        </b>
      )}
      <div className={styles.card}>
        <span className={styles.name}>
          <em title={node.name}>{node.name}</em>
          {passes && <small>{isRight ? 'passes on ›' : 'passes on ↓'}</small>}
          {role === 'none' && node.kind !== 'service' && node.name.length < 14 && <small>{KIND_NAMES[node.kind]}</small>}
        </span>
        <span className={styles.figures}>{words}</span>
        <Stripe parts={stripe} />
      </div>
      <Handle type="source" position={isRight ? Position.Right : Position.Bottom} className={styles.end} isConnectable={false} />
    </div>
  );
});
