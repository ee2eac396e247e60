import type { Edge, EdgeProps } from '@xyflow/react';
import { memo } from 'react';
import type { MapEdge } from '../../../api/map/map.ts';
import type { Direction, Point } from '../../../core/maps/mapLayout.ts';
import styles from '../Map.module.css';
import type { Carries } from '../roles.ts';
import { middle, wayPath } from '../ways.ts';

export interface CallData extends Record<string, unknown> {
  readonly edge: MapEdge;
  readonly carries: Carries;
  readonly way: readonly Point[];
  readonly direction: Direction;
  readonly width: number;
  readonly dim: boolean;
  readonly chosen: boolean;
  /** Of one request: order and count of its calls. */
  readonly request: string;
}

export type CallLine = Edge<CallData, 'call'>;

/** Calls from one plate to another; where trouble comes up this way, an arrow points where it goes. */
export const CallEdge = memo(function CallEdge({ data }: EdgeProps<CallLine>) {
  if (!data || data.way.length === 0) return null;
  const { carries, way, direction, width, dim, chosen, request, edge } = data;
  const path = wayPath(way, direction);
  const half = middle(way);
  return (
    <g className={styles.call} data-carries={carries} data-dim={dim} data-chosen={chosen} data-turn={edge.turn}>
      <path d={path} strokeWidth={width} />
      <path d={path} className={styles.touch} />
      {carries !== 'none' && !dim && (
        <path className={styles.arrow} d="M3 -5 -3 0 3 5" transform={`translate(${half.x} ${half.y}) rotate(${half.angle})`} />
      )}
      {request !== '' && (
        <text className={styles.order} x={half.x} y={half.y - 6}>
          {request}
        </text>
      )}
    </g>
  );
});
