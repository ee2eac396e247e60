import { briefDuration } from '../../core/time/duration.ts';
import { nodeId } from '../../core/topology/node.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { usePeer } from '../../ui/queries/map.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Databases.module.css';

const MOST_CALLERS = 6;
const RANK = { failing: 0, strained: 1, perhaps: 2, unknown: 3, calm: 4 } as const;

/** Who waits for a server outside of it: the services that call it, and what a call takes. */
export function WhoIsHurt({ name }: { readonly name: string }) {
  const { scope, href } = useScope();
  const id = nodeId('database', name);
  // As its sessions: of all requests.
  const peer = usePeer(id, { ...scope, chips: [] });
  const callers = [...(peer.data?.callers ?? [])].sort((a, b) => RANK[a.state] - RANK[b.state] || b.lit.calls - a.lit.calls);
  const duration = (ns: number | null) => (ns === null ? '–' : briefDuration(ns));
  return (
    <section>
      <h3>
        Who is hurt <span className="dim">p95 of a call, by spans</span>
      </h3>
      {!peer.error && !peer.data && <p className="dim">Looking …</p>}
      {peer.error && !peer.data && <p className="dim">Callers are not known: {peer.error.message}.</p>}
      <ul className={styles.callers}>
        {callers.slice(0, MOST_CALLERS).map(({ from, state, lit, before }) => (
          <li key={from}>
            <StateGlyph state={state} />
            <a href={href(`/services/${encodeURIComponent(from)}`)} suppressHydrationWarning>
              {from}
            </a>
            <b className="mono">
              <em className={styles.was}>{duration(before.p95Ns)} → </em>
              {duration(lit.p95Ns)}
            </b>
          </li>
        ))}
      </ul>
      {peer.data && (
        <p>
          <a href={href(`/peers/${encodeURIComponent(id)}`)} suppressHydrationWarning>
            All callers of {name}
          </a>
        </p>
      )}
    </section>
  );
}
