import { useStore, ViewportPortal } from '@xyflow/react';
import { memo, useEffect, useMemo, useRef } from 'react';
import { type Direction, type MapLayout, PLATE } from '../../../core/maps/mapLayout.ts';
import styles from '../Map.module.css';
import { wayPath } from '../ways.ts';
import type { CallLine } from './CallEdge.tsx';
import { glowWidth } from './glow.ts';
import type { PlateNode } from './Plate.tsx';
import { takeBitmap } from './takeBitmap.ts';

/** Of the names of those that start trouble, on the screen. */
const NAME_PX = 13;

interface FarMapProps {
  readonly layout: MapLayout;
  readonly nodes: readonly PlateNode[];
  readonly edges: readonly CallLine[];
  readonly choose: (id: string) => void;
  readonly open: (node: PlateNode['data']['node']) => void;
}

/**
 * A large map as it is seen from afar: shapes without words and a few long paths, in one drawing, which moves several times as fast as hundreds
 * of plates that nobody can read. Where trouble starts, the name stands in letters that can be read.
 */
export const FarMap = memo(function FarMap({ layout, nodes, edges, choose, open }: FarMapProps) {
  const paths = useMemo(() => alikeTogether(edges), [edges]);
  const drawing = useRef<SVGSVGElement>(null);
  const bitmap = useRef<HTMLCanvasElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is drawn is what these made
  useEffect(() => {
    const timer = setTimeout(() => drawing.current && bitmap.current && takeBitmap(drawing.current, bitmap.current, layout), 100);
    return () => clearTimeout(timer);
  }, [nodes, paths, layout]);
  const starting = nodes.filter(({ data: { role } }) => role.startsWith('starts'));
  return (
    <ViewportPortal>
      <canvas ref={bitmap} className={styles.bitmap} />
      <svg ref={drawing} className={styles.far} aria-hidden="true" data-far="">
        {paths.map(({ key, d, width, carries, turn, dim }) => (
          <g key={key} className={styles.call} data-carries={carries} data-turn={turn} data-dim={dim}>
            <path d={d} strokeWidth={width} />
          </g>
        ))}
        {nodes.map(({ id, position: { x, y }, data: { node, role, dim, chosen } }) => (
          // biome-ignore lint/a11y/noStaticElementInteractions: the picture is walked by the keys of what holds it
          <rect
            key={id}
            x={x}
            y={y}
            {...PLATE}
            rx={7}
            data-role={role}
            data-dim={dim}
            data-chosen={chosen}
            data-turn={node.turn}
            onClick={(event) => {
              event.stopPropagation();
              choose(id);
            }}
            onDoubleClick={() => open(node)}
          >
            <title>{node.name}</title>
          </rect>
        ))}
        {nodes.map(({ id, position: { x, y }, data: { role, suffers } }) =>
          role.startsWith('passes') ? (
            <path key={`glow ${id}`} data-glow="" d={facingEdge(layout.direction, x, y)} strokeWidth={2 * glowWidth(suffers)} />
          ) : null,
        )}
        <StartNames nodes={starting} />
      </svg>
    </ViewportPortal>
  );
});

/** The edge of a plate on which the lamp stands. */
function facingEdge(direction: Direction, x: number, y: number): string {
  return direction === 'right'
    ? `M${x + PLATE.width} ${y + 5}v${PLATE.height - 10}`
    : `M${x + 5} ${y + PLATE.height}h${PLATE.width - 10}`;
}

function StartNames({ nodes }: { nodes: readonly PlateNode[] }) {
  const zoom = useStore(({ transform }) => transform[2]);
  return nodes.map(({ id, position: { x, y }, data: { node, role } }) => (
    <text key={id} x={x} y={y - 6 / zoom} fontSize={NAME_PX / zoom} strokeWidth={4 / zoom} data-role={role}>
      {node.name} starts here
    </text>
  ));
}

interface Together {
  readonly key: string;
  readonly d: string;
  readonly width: number;
  readonly carries: string;
  readonly turn: string;
  readonly dim: boolean;
}

/** Calls that are drawn alike as one path each; those that carry trouble last, above the others. */
function alikeTogether(edges: readonly CallLine[]): Together[] {
  const groups = new Map<string, Together & { d: string }>();
  for (const { data } of edges) {
    if (!data) continue;
    const { edge, carries, way, direction, width, dim } = data;
    const rounded = Math.round(width);
    const key = `${carries} ${edge.turn} ${dim} ${rounded}`;
    const group = groups.get(key) ?? { key, d: '', width: rounded, carries, turn: edge.turn, dim };
    groups.set(key, group);
    group.d += wayPath(way, direction);
  }
  return [...groups.values()].sort((a, b) => Number(a.carries !== 'none') - Number(b.carries !== 'none'));
}
