import { useMemo } from 'react';
import type { MapAnswer } from '../../api/map/map.ts';
import type { Around } from '../../api/now/around.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';
import type { ServiceTime } from '../../api/services/time.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { condition } from '../../core/scope/condition.ts';
import { type Scope, withChip } from '../../core/scope/scope.ts';
import { clockTime } from '../../core/time/clock.ts';
import { callersOf } from '../../core/topology/choose.ts';
import { profilePath } from '../../ui/code/codePath.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { logsPath } from '../../ui/logs/logsPath.ts';
import { layersPath } from '../../ui/machines/machinePaths.ts';
import { useMap, useStarts } from '../../ui/queries/map.ts';
import { useAround, useJourneys } from '../../ui/queries/now.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { pagePath } from '../../ui/topology/pagePath.ts';
import { TimeGoes } from '../../ui/topology/TimeGoes.tsx';
import panel from '../../ui/topology/Topology.module.css';
import { Why } from '../../ui/topology/Why.tsx';

interface ServiceAsideProps {
  readonly name: string;
  readonly service: ServiceOverview | undefined;
  readonly time: ServiceTime | undefined;
  /** The scope, narrowed to the service. */
  readonly traces: Scope;
}

/** What stands beside a service's figures: where to go on, why it stands out, where its time goes, who is hurt through it, promises, changes. */
export function ServiceAside({ name, service, time, traces }: ServiceAsideProps) {
  const { scope, href, change } = useScope();
  const starts = useStarts(scope, 'shown');
  const all = useMemo(() => ({ ...scope, chips: [] }), [scope]);
  const map = useMap(all, {}, { data: undefined, scope: all });
  const around = useAround(scope, { data: undefined, scope });
  const journeys = useJourneys();
  const handled = new Set(service?.operations.map((row) => row.name));
  const own = new Set(
    journeys.data?.journeys.filter(({ entries }) => entries.some((entry) => handled.has(entry))).map((row) => row.name),
  );
  const promised = around.data?.objectives.filter(({ journey }) => own.has(journey)) ?? [];
  return (
    <div className={panel.panel}>
      <div className={panel.actions}>
        <a className={panel.main} href={href('/traces', traces)} suppressHydrationWarning>
          Slow traces
        </a>
        <a href={href('/traces', withChip(traces, condition('failed', 'is', 'yes')))} suppressHydrationWarning>
          Failed traces
        </a>
        <a href={contrastPath((path) => href(path, traces), { how: 'before' })} suppressHydrationWarning>
          Contrast
        </a>
        <a href={logsPath((path) => href(path, traces))} suppressHydrationWarning>
          Lines
        </a>
        <a href={href(profilePath(name))} suppressHydrationWarning>
          Profile
        </a>
        <a href={href(layersPath(name))} suppressHydrationWarning>
          Layers
        </a>
        <a href={href('/now/failures', traces)} suppressHydrationWarning>
          Failures
        </a>
        <a
          href={`${href('/map')}&around=${encodeURIComponent(name)}&up=1&down=1&node=${encodeURIComponent(name)}`}
          suppressHydrationWarning
        >
          On the map
        </a>
      </div>
      <Why starts={starts.data} ids={[name]} />
      {time && <TimeGoes lit={time.lit} before={time.before} />}
      {time && (
        <p className="dim">
          over {formatCount(time.requests.lit)} requests lit, {formatCount(time.requests.before)} before
        </p>
      )}
      {map.data && <HurtThrough name={name} map={map.data} />}
      <Promises objectives={promised} />
      {service && (
        <Changes
          changes={service.changes}
          light={(at) => change({ ...scope, lit: { type: 'fixed', from: at - 900_000, to: at + 900_000 } })}
        />
      )}
    </div>
  );
}

/** Who comes by this service and is worse, too. */
function HurtThrough({ name, map }: { name: string; map: MapAnswer }) {
  const { href } = useScope();
  const above = callersOf(map.edges, name);
  const hurt = map.nodes.filter(({ id, state }) => above.has(id) && (state === 'strained' || state === 'failing'));
  if (hurt.length === 0) return null;
  return (
    <section>
      <h3>Who comes by here and is worse</h3>
      <ul className={panel.list}>
        {hurt.map((node) => (
          <li key={node.id}>
            <a href={href(pagePath(node) ?? '/map')} suppressHydrationWarning>
              <StateGlyph state={node.state} word="" /> {node.name}
            </a>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Objectives of journeys that come in here. */
function Promises({ objectives }: { objectives: Around['objectives'] }) {
  if (objectives.length === 0) return null;
  return (
    <section>
      <h3>Objectives</h3>
      <ul className={panel.list}>
        {objectives.map((it) => (
          <li key={it.journey}>
            {it.journey}{' '}
            <span>
              {it.share === null ? 'no request' : `${(it.share * 100).toFixed(2)} % good of ${it.target * 100} %`}
              {it.left !== null &&
                (it.left <= 0 ? ', allowance spent' : `, ${Math.round(it.left * 100)} % of the allowance left`)}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Changes({ changes, light }: { changes: ServiceOverview['changes']; light: (at: number) => void }) {
  const zone = useZone();
  return (
    <section>
      <h3>Changes</h3>
      {changes.length === 0 && (
        <p className="dim">None in the window, or in the two hours before it or before its trouble began.</p>
      )}
      <ul className={panel.list}>
        {changes.map((it) => (
          <li key={`${it.at} ${it.title}`}>
            <button type="button" onClick={() => light(it.at)} title="Light the half hour around it">
              {clockTime(it.at, zone)} {it.title}
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
