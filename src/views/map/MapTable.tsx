import type { MapAnswer, SumAnswer } from '../../api/map/map.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
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
  const figures = (lit: SumAnswer, before: SumAnswer) => (
    <>
      <td>
        {formatRate(rateOf(before, map.before, scaleOf(map.before)))} → {formatRate(rateOf(lit, map.lit, scaleOf(map.lit)))}
      </td>
      <td>
        {formatShare(failingShare(before))} → {formatShare(failingShare(lit))}
      </td>
      <td>{pair(before.p50Ns, lit.p50Ns)}</td>
      <td>{pair(before.p95Ns, lit.p95Ns)}</td>
    </>
  );
  const heads = ['rate', 'failing', 'p50', 'p95'].map((it) => <th key={it}>{it}</th>);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
    <section className={styles.table} tabIndex={0} aria-label="The map as tables">
      <table>
        <caption>{shown.nodes.length} nodes, before → lit</caption>
        <thead>
          <tr>
            <th className={styles.text}>name</th>
            <th className={styles.text}>what</th>
            {heads}
            <th className={styles.text}>part in the trouble</th>
          </tr>
        </thead>
        <tbody>
          {[...shown.nodes]
            .sort((a, b) => rank(roles.ofNode(a.id)) - rank(roles.ofNode(b.id)) || b.lit.calls - a.lit.calls)
            .map((node) => (
              <tr key={node.id} data-chosen={node.id === chosen}>
                <td>
                  <button type="button" onClick={() => choose(node.id)}>
                    <StateGlyph state={node.state} word="" /> {node.operation ? `${node.service} ${node.name}` : node.name}
                  </button>
                </td>
                <td className={styles.text}>{KIND_NAMES[node.kind]}</td>
                {figures(node.lit, node.before)}
                <td className={styles.text}>{ROLE_WORDS[roles.ofNode(node.id)] || (node.turn === 'stays' ? '' : node.turn)}</td>
              </tr>
            ))}
        </tbody>
      </table>
      <table>
        <caption>{shown.edges.length} kinds of calls, before → lit</caption>
        <thead>
          <tr>
            <th className={styles.text}>from</th>
            <th className={styles.text}>to</th>
            {heads}
            <th className={styles.text}>over</th>
          </tr>
        </thead>
        <tbody>
          {[...shown.edges]
            .sort((a, b) => b.lit.calls - a.lit.calls)
            .map((edge) => (
              <tr key={edgeId(edge)} data-chosen={edgeId(edge) === chosen}>
                <td>
                  <button type="button" onClick={() => choose(edgeId(edge))}>
                    <StateGlyph state={edge.state} word="" /> {nameOf.get(edge.from)}
                  </button>
                </td>
                <td className={styles.text}>{nameOf.get(edge.to)}</td>
                {figures(edge.lit, edge.before)}
                <td className={styles.text}>
                  {edge.protocol}
                  {edge.turn === 'stays' ? '' : ` ${edge.turn}`}
                </td>
              </tr>
            ))}
        </tbody>
      </table>
    </section>
  );
}

function pair(before: number | null, lit: number | null): string {
  const words = (ns: number | null) => (ns === null ? '–' : formatDuration(ns));
  return `${words(before)} → ${words(lit)}`;
}

const ORDER: readonly Role[] = ['starts-failures', 'starts-slowness', 'passes-failures', 'passes-slowness', 'none'];
const rank = (role: Role) => ORDER.indexOf(role);
