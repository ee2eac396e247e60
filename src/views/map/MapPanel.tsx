import type { MapAnswer } from '../../api/map/map.ts';
import type { Starts } from '../../api/map/starts.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { originShare, originWords } from '../../ui/topology/originWords.ts';
import { failureStarts, slownessStarts } from '../../ui/topology/starting.ts';
import panel from '../../ui/topology/Topology.module.css';

interface MapPanelProps {
  readonly map: MapAnswer;
  /** Lit calls that are not drawn, since it is not known which operation made them. */
  readonly unknownCalls: number;
  readonly starts: Starts | undefined;
  readonly trouble: Error | null;
  readonly choose: (id: string) => void;
}

/** What is to be said of the whole map: where trouble starts, with shares, and what is new or gone. */
export function MapPanel({ map, unknownCalls, starts, trouble, choose }: MapPanelProps) {
  const nameOf = new Map(map.nodes.map(({ id, name }) => [id, name]));
  const turned = map.edges.filter((it) => it.turn !== 'stays');
  const partly = map.lit.read < map.lit.requests || map.before.read < map.before.requests;
  return (
    <div className={panel.panel}>
      <section>
        <h3>Where it starts</h3>
        {!starts && !trouble && <p className="dim">Reading a sample of traces …</p>}
        {trouble && <p className="dim">This could not be worked out: {trouble.message}</p>}
        {starts && failureStarts(starts).length + slownessStarts(starts).length === 0 && (
          <p className="dim">Nothing got slower or fails more than before.</p>
        )}
        <ul className={panel.list}>
          {failureStarts(starts).map((it) => (
            <li key={`failures ${it.node}`}>
              <button type="button" onClick={() => choose(it.node)}>
                {it.party}
              </button>
              <span>
                {formatShare(it.share)} of {starts!.failures.failing} failures, {it.what}
              </span>
            </li>
          ))}
          {starts?.slowness.machine && (
            <li>
              <b>{starts.slowness.machine.name}</b>
              <span>
                {formatShare(starts.slowness.machine.share)} of the extra wait, in {starts.slowness.machine.nodes.length} services
                that got slower there and nowhere else
              </span>
            </li>
          )}
          {slownessStarts(starts).map((it) => (
            <li key={`slowness ${it.node}`}>
              <button type="button" onClick={() => choose(it.node)}>
                {it.party}
              </button>
              <span>
                {originShare(it)} of the extra wait, {formatDuration(it.amount)} in all: {originWords(it)}
                {it.only[0] ? `, on ${it.only[0].what} ${it.only[0].name}` : ''}
              </span>
            </li>
          ))}
        </ul>
        {starts && starts.slowness.entries.length > 0 && (
          <p className="dim">Slower: {[...new Set(starts.slowness.entries)].join(', ')}</p>
        )}
      </section>
      {turned.length > 0 && (
        <section>
          <h3>New and gone</h3>
          <ul className={panel.list}>
            {turned.slice(0, 12).map((it) => (
              <li key={`${it.from} ${it.to} ${it.protocol}`}>
                <button type="button" onClick={() => choose(it.to)}>
                  {nameOf.get(it.from)} → {nameOf.get(it.to)}
                </button>
                <span>{it.turn === 'new' ? `new, ${it.lit.calls} calls` : `gone, ${it.before.calls} calls before`}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      <section>
        <h3>Made of</h3>
        <p className="dim">
          {formatCount(map.lit.requests)} requests lit, {formatCount(map.before.requests)} held against them.
          {partly &&
            ` Figures are from a sample: ${formatCount(map.lit.read)} and ${formatCount(map.before.read)} requests; rates are scaled to all of them.`}
          {unknownCalls > 0 &&
            ` Left out ${unknownCalls === 1 ? 'is 1 call' : `are ${formatCount(unknownCalls)} calls`} of which the operation that made them is not known.`}
        </p>
      </section>
    </div>
  );
}
