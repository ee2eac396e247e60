import type { MapAnswer, MapEdge } from '../../api/map/map.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import panel from '../../ui/topology/Topology.module.css';
import { rateOf, scaleOf } from './words.ts';

interface EndsProps {
  readonly title: string;
  readonly map: MapAnswer;
  readonly edges: readonly MapEdge[];
  readonly end: 'from' | 'to';
  readonly choose: (id: string) => void;
}

const STATE_WORDS = { calm: 'as before', perhaps: 'perhaps worse', strained: 'slower', failing: 'failing', unknown: '' } as const;

/** The other ends of a node's calls, the busiest first. */
export function Ends({ title, map, edges, end, choose }: EndsProps) {
  if (edges.length === 0) return null;
  const nameOf = new Map(map.nodes.map(({ id, name }) => [id, name]));
  return (
    <section>
      <h3>{title}</h3>
      <table className={panel.ends}>
        <tbody>
          {[...edges]
            .sort((a, b) => b.lit.calls - a.lit.calls)
            .map((edge) => (
              <tr key={`${edge.from} ${edge.to} ${edge.protocol}`}>
                <td>
                  <button type="button" onClick={() => choose(edge[end])}>
                    {nameOf.get(edge[end]) ?? edge[end]}
                  </button>
                </td>
                <td>{formatRate(rateOf(edge.lit, map.lit, scaleOf(map.lit)))}</td>
                <td>{edge.lit.p95Ns === null ? '–' : formatDuration(edge.lit.p95Ns)}</td>
                <td>
                  <StateGlyph state={edge.state} word="" /> {edge.turn === 'stays' ? STATE_WORDS[edge.state] : edge.turn}
                </td>
              </tr>
            ))}
        </tbody>
      </table>
    </section>
  );
}
