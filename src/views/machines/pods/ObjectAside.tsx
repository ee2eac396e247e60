import type { MachineObject } from '../../../api/machines/object.ts';
import { condition } from '../../../core/scope/condition.ts';
import { withChip } from '../../../core/scope/scope.ts';
import { clockTime, dayTime } from '../../../core/time/clock.ts';
import { profilePath } from '../../../ui/code/codePath.ts';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { hostPath, layersPath } from '../../../ui/machines/machinePaths.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { useZone } from '../../../ui/state/zone.ts';
import styles from '../Machines.module.css';
import pods from './Pods.module.css';

/** One object: its specification and what changed in it, what happened to it, and where to go on. */
export function ObjectAside({ object: it, open }: { object: MachineObject; open: (id: string) => void }) {
  const { scope, href } = useScope();
  const zone = useZone();
  const [last] = it.events;
  const own = withChip(scope, condition('service.instance.id', 'is', it.name));
  return (
    <div className={styles.aside}>
      <h2>{it.name}</h2>
      <p className="dim">
        {it.kind}
        {it.service && it.service !== it.name && ` of ${it.service}`}, reported {clockTime(it.at, zone)}
      </p>
      {last && (
        <p className={last.trouble ? styles.bad : undefined}>
          {clockTime(last.at, zone, true)}: {last.message || last.reason}
        </p>
      )}
      <section>
        <h3>
          Specification{' '}
          <small>{it.changedAt === null ? 'unchanged' : `changed ${dayTime(it.changedAt, zone, Date.now())}`}</small>
        </h3>
        {it.specification.length === 0 ? (
          <p className="dim">None was sent.</p>
        ) : (
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
          <ol className={pods.spec} tabIndex={0} aria-label="Specification">
            {it.specification.map(({ text, was }, at) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: lines have no other name
              <li key={at} data-changed={was !== undefined}>
                {was !== undefined && <i>{was === null ? 'new' : `was ${setTo(was)}`}</i>}
                {text}
              </li>
            ))}
          </ol>
        )}
        {it.gone.length > 0 && <p className="dim">No longer there: {it.gone.join(' · ')}</p>}
      </section>
      {it.detail.length > 0 && it.specification.length === 0 && (
        <ul className={styles.pairs}>
          {it.detail.map(({ name, value }) => (
            <li key={name}>
              <span>{name}</span>
              <span className="mono">{value}</span>
            </li>
          ))}
        </ul>
      )}
      <section>
        <h3>
          Events{' '}
          <small>{it.events.length === 0 ? 'none in this window' : `${it.events.length + it.moreEvents} in this window`}</small>
        </h3>
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard */}
        <ol className={pods.events} tabIndex={0} aria-label="Events">
          {it.events.map((event) => (
            <li key={`${event.at} ${event.reason}`}>
              <StateGlyph state={event.trouble ? 'failing' : 'calm'} word="" />
              <span className="mono">{clockTime(event.at, zone, true)}</span>
              <span>
                {event.message || event.reason}
                {event.count > 1 && `, ${event.count} times`}
              </span>
            </li>
          ))}
        </ol>
      </section>
      <p className={styles.actions}>
        {it.kind === 'pod' && (
          <>
            {it.service && (
              <a data-main="true" href={href(profilePath(it.service, { instance: it.name }))} suppressHydrationWarning>
                Its code
              </a>
            )}
            <a href={href('/traces', own)} suppressHydrationWarning>
              Traces
            </a>
            <a href={href('/logs', own)} suppressHydrationWarning>
              Lines
            </a>
          </>
        )}
        {it.service && (
          <a href={href(layersPath(it.service))} suppressHydrationWarning>
            Layers
          </a>
        )}
        {(it.kind === 'host' || it.kind === 'vm') && (
          <a data-main="true" href={href(hostPath(it.name))} suppressHydrationWarning>
            Open
          </a>
        )}
        {it.kin.map(({ id, name }) => (
          <button key={id} type="button" onClick={() => open(id)}>
            {name}
          </button>
        ))}
      </p>
    </div>
  );
}

function setTo(line: string): string {
  return line.replace(/^[^:]*:\s*/, '').slice(0, 60);
}
