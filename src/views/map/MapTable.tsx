import type { MapAnswer, MapEdge, MapNode, SumAnswer } from '../../api/map/map.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import { KIND_NAMES } from '../../ui/topology/kindNames.ts';
import { edgeId } from './edgeId.ts';
import styles from './Map.module.css';
import type { Role, Roles } from './roles.ts';
import type { Shown } from './shown.ts';
import { failingShare, rateOf, scaleOf } from './words.ts';

const ROLE_WORDS: Readonly<Record<Role, string>> = {
  'starts-failures': 'failures start here',
  'starts-slowness': 'slowness starts here',
  'passes-failures': 'passes failures on',
  'passes-slowness': 'passes slowness on',
  none: '',
};

interface MapTableProps {
  readonly map: MapAnswer;
  readonly shown: Shown;
  readonly roles: Roles;
  readonly chosen: string;
  readonly choose: (id: string) => void;
}

/** The map as tables: nodes, and calls between them, with the numbers of the picture. */
export function MapTable({ map, shown, roles, chosen, choose }: MapTableProps) {
  const nameOf = new Map(shown.nodes.map(({ id, name }) => [id, name]));
  const nodes = [...shown.nodes].sort((a, b) => rank(roles.ofNode(a.id)) - rank(roles.ofNode(b.id)) || b.lit.calls - a.lit.calls);
  const edges = [...shown.edges].sort((a, b) => b.lit.calls - a.lit.calls);
  return (
    <section className={styles.table} aria-label="The map as tables">
      <DataTable
        title="nodes of the map"
        bar={<span className="dim">{nodes.length} nodes, before → lit</span>}
        rows={nodes}
        rowKey={({ id }) => id}
        isChosen={({ id }) => id === chosen}
        open={({ id }) => choose(id)}
        whole
        columns={[
          {
            key: 'name',
            title: 'name',
            align: 'left',
            value: (node) => nodeName(node),
            cell: (node) => (
              <button type="button" onClick={() => choose(node.id)}>
                <StateGlyph state={node.state} word="" /> {nodeName(node)}
              </button>
            ),
          },
          { key: 'what', title: 'what', align: 'left', value: ({ kind }) => KIND_NAMES[kind] },
          ...figures<MapNode>(map),
          {
            key: 'part in the trouble',
            title: 'part in the trouble',
            align: 'left',
            value: ({ id, turn }) => ROLE_WORDS[roles.ofNode(id)] || (turn === 'stays' ? '' : turn),
          },
        ]}
      />
      <DataTable
        title="calls of the map"
        bar={<span className="dim">{edges.length} kinds of calls, before → lit</span>}
        rows={edges}
        rowKey={edgeId}
        isChosen={(edge) => edgeId(edge) === chosen}
        open={(edge) => choose(edgeId(edge))}
        whole
        columns={[
          {
            key: 'from',
            title: 'from',
            align: 'left',
            value: ({ from }) => nameOf.get(from) ?? from,
            cell: (edge) => (
              <button type="button" onClick={() => choose(edgeId(edge))}>
                <StateGlyph state={edge.state} word="" /> {nameOf.get(edge.from)}
              </button>
            ),
          },
          { key: 'to', title: 'to', align: 'left', value: ({ to }) => nameOf.get(to) ?? to },
          ...figures<MapEdge>(map),
          {
            key: 'over',
            title: 'over',
            align: 'left',
            value: ({ protocol, turn }) => `${protocol}${turn === 'stays' ? '' : ` ${turn}`}`,
          },
        ]}
      />
    </section>
  );
}

function nodeName({ operation, service, name }: MapNode): string {
  return operation ? `${service} ${name}` : name;
}

/** Columns of the calls of a node or edge, lit with what they were before. */
function figures<Row extends { readonly lit: SumAnswer; readonly before: SumAnswer }>(map: MapAnswer): TableColumn<Row>[] {
  const perMinute = (sum: SumAnswer, side: MapAnswer['lit']) => rateOf(sum, side, scaleOf(side));
  const ns = (name: string, of: (sum: SumAnswer) => number | null): TableColumn<Row> => ({
    key: `${name} ns`,
    title: name,
    value: ({ lit }) => of(lit),
    cell: ({ lit, before }) => pair(of(before), of(lit)),
    beside: [[`before ${name} ns`, ({ before }) => of(before)]],
  });
  return [
    {
      key: 'rate',
      title: 'rate',
      value: ({ lit }) => perMinute(lit, map.lit),
      cell: ({ lit, before }) => `${formatRate(perMinute(before, map.before))} → ${formatRate(perMinute(lit, map.lit))}`,
      beside: [['before rate', ({ before }) => perMinute(before, map.before)]],
    },
    {
      key: 'failing',
      title: 'failing',
      value: ({ lit }) => failingShare(lit),
      cell: ({ lit, before }) => `${formatShare(failingShare(before))} → ${formatShare(failingShare(lit))}`,
      beside: [['before failing', ({ before }) => failingShare(before)]],
    },
    ns('p50', ({ p50Ns }) => p50Ns),
    ns('p95', ({ p95Ns }) => p95Ns),
  ];
}

function pair(before: number | null, lit: number | null): string {
  const words = (value: number | null) => (value === null ? '–' : formatDuration(value));
  return `${words(before)} → ${words(lit)}`;
}

const ORDER: readonly Role[] = ['starts-failures', 'starts-slowness', 'passes-failures', 'passes-slowness', 'none'];
const rank = (role: Role) => ORDER.indexOf(role);
