import { Area, AreaChart, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import type { MachineObject } from '../../../api/machines/object.ts';
import { memoryText } from '../../../core/machines/words.ts';
import { DragToLight } from '../../../ui/charts/DragToLight.tsx';
import { timeAxis } from '../../../ui/charts/timeAxis.ts';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { useScope } from '../../../ui/state/scopeState.ts';
import { useZone } from '../../../ui/state/zone.ts';
import pods from './Pods.module.css';

type Relation = MachineObject['kin'][number];

/** The memory of a pod over the window, and what stands around an object: above what it belongs to, below what it stands on. */
export function ObjectPictures({ object, open }: { object: MachineObject; open: (id: string) => void }) {
  return (
    <section className={pods.pictures} aria-label={`Around ${object.name}`}>
      <Memory object={object} />
      <div>
        <h3>
          Around {object.name} <small>any kind of object</small>
        </h3>
        <div className={pods.compass}>
          <section className={pods.up}>
            <h4>belongs to</h4>
            <Nodes of={[...object.belongsTo].reverse()} open={open} none="nothing" />
          </section>
          <section className={`${pods.side} ${pods.left}`}>
            <h4>is given</h4>
            <Nodes of={object.given} open={open} none="nothing" />
          </section>
          <section className={pods.middle}>
            <span className={`${pods.node} ${pods.own}`}>
              <small>{object.kind}</small>
              {object.name}
            </span>
            {object.has.slice(0, 4).map((it) => (
              <Node key={it.id} of={it} open={open} />
            ))}
          </section>
          <section className={`${pods.side} ${pods.right}`}>
            <h4>works with</h4>
            <Nodes of={object.worksWith} open={open} none="nobody that is known" />
          </section>
          <section className={pods.down}>
            <h4>stands on</h4>
            <Nodes of={object.standsOn} open={open} none="not known" />
          </section>
        </div>
      </div>
    </section>
  );
}

function Nodes({ of, open, none }: { of: readonly Relation[]; open: (id: string) => void; none: string }) {
  if (of.length === 0) return <span className="dim">{none}</span>;
  return of.map((it) => <Node key={`${it.kind} ${it.name}`} of={it} open={open} />);
}

function Node({ of: { id, kind, name, ready }, open }: { of: Relation; open: (id: string) => void }) {
  const { href } = useScope();
  const inner = (
    <>
      <small>
        {ready !== null && <StateGlyph state={ready ? 'calm' : 'failing'} word={ready ? 'ready' : 'not ready'} />} {kind}
      </small>
      {name}
    </>
  );
  return id === '' ? (
    <a className={pods.node} href={href(`/services/${encodeURIComponent(name)}`)} suppressHydrationWarning>
      {inner}
    </a>
  ) : (
    <button type="button" className={pods.node} data-ready={ready ?? undefined} onClick={() => open(id)}>
      {inner}
    </button>
  );
}

function Memory({ object: { memory, name, litWindow, events } }: { object: MachineObject }) {
  const zone = useZone();
  if (!memory)
    return (
      <div>
        <h3>Memory</h3>
        <p className="dim">No memory of {name} was measured in this window.</p>
      </div>
    );
  const [from, to] = [Date.parse(litWindow.from), Date.parse(litWindow.to)];
  const first = Math.floor(from / 60_000) * 60_000;
  const rows = memory.over.map((value, minute) => ({ at: first + minute * 60_000, value }));
  const killed = events.filter(({ reason }) => reason === 'OOMKilled');
  return (
    <div>
      <h3>
        Memory of {name}{' '}
        <small>
          {memory.limit !== null && `limit ${memoryText(memory.limit)}`}
          {memory.request !== null && `, request ${memoryText(memory.request)}`}
        </small>
      </h3>
      <DragToLight from={from} to={to} left={52} right={8}>
        <div role="img" aria-label={`Memory of ${name} over the window, killed ${killed.length} times`}>
          <ResponsiveContainer width="100%" height={170}>
            <AreaChart data={rows} margin={{ top: 12, right: 8, bottom: 0, left: 0 }} accessibilityLayer={false}>
              <XAxis {...timeAxis(from, to, zone, 5)} />
              <YAxis
                domain={[0, (most: number) => 1.06 * Math.max(most, memory.limit ?? 0)]}
                tickFormatter={(value: number) => memoryText(value)}
                tick={{ fontSize: 10, fill: 'var(--text-3)' }}
                axisLine={false}
                tickLine={false}
                width={52}
                tickCount={4}
              />
              <Area
                dataKey="value"
                type="linear"
                stroke="var(--lit)"
                fill="var(--lit)"
                fillOpacity={0.5}
                isAnimationActive={false}
              />
              {memory.limit !== null && (
                <ReferenceLine
                  y={memory.limit}
                  stroke="var(--failing)"
                  label={{ value: 'limit', position: 'insideTopRight', fontSize: 10, fill: 'var(--failing)' }}
                />
              )}
              {memory.request !== null && <ReferenceLine y={memory.request} stroke="var(--before)" strokeDasharray="3 3" />}
              {killed.map(({ at }) => (
                <ReferenceLine
                  key={at}
                  x={at}
                  stroke="transparent"
                  label={{ value: '×', position: 'insideTop', fontSize: 14, fill: 'var(--failing)' }}
                />
              ))}
            </AreaChart>
          </ResponsiveContainer>
        </div>
      </DragToLight>
    </div>
  );
}
