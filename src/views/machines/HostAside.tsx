import type { MachineHost } from '../../api/machines/host.ts';
import { guiltWords, readingText, ruleWords } from '../../core/machines/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip } from '../../core/scope/scope.ts';
import { clockTime } from '../../core/time/clock.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { hostPath, podPath } from '../../ui/machines/machinePaths.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Machines.module.css';

const MOST_RESIDENTS = 12;

/** Whether a host is guilty, who lives on it, what changed, and where to go on. @param isOpen whether its own page shows it */
export function HostAside({ host, isOpen = false }: { host: MachineHost; isOpen?: boolean }) {
  const { scope, href } = useScope();
  const zone = useZone();
  const [worst] = host.resources;
  const hosts = host.guests.length > 0 ? host.guests.map(({ name }) => name) : [host.name];
  const chips = [condition('host.name', 'is', ...hosts)];
  const through = withChip(scope, chips[0]);
  return (
    <div className={styles.aside}>
      <h2>
        {host.kind === 'vm' ? 'Virtual machine' : 'Host'} {host.name}
      </h2>
      {host.standing === 'ill' && worst ? (
        <div className={styles.lowest}>
          <b>
            {readingText(worst.rule, worst.value)} {ruleWords(worst.rule)}
          </b>
          {host.since !== null && (
            <p>
              since {clockTime(host.since, zone)}
              {host.until !== null &&
                host.until < Date.parse(host.litWindow.to) - 60_000 &&
                ` until ${clockTime(host.until, zone)}`}
            </p>
          )}
          <p>{guiltWords(host.guilt, host.comparison?.ratio ?? null)}.</p>
        </div>
      ) : (
        <p>
          {host.standing === 'calm' ? 'Within its usual range.' : 'Not enough data to say how it is.'}{' '}
          {guiltWords(host.guilt, host.comparison?.ratio ?? null)}.
        </p>
      )}
      {host.comparison && (
        <p className="dim">
          95 % interval {host.comparison.interval[0].toFixed(2)} to {host.comparison.interval[1].toFixed(2)} ×
          {host.comparison.before !== null && `; before ${host.comparison.before.toFixed(2)} ×`};{' '}
          {formatCount(Math.round(host.comparison.requests))} requests there, compared within service and block of minutes
        </p>
      )}
      <section>
        <h3>
          Lives on it <small>p95</small>
        </h3>
        <ul className={styles.pairs}>
          {host.residents.slice(0, MOST_RESIDENTS).map((it) => (
            <li key={`${it.service} ${it.instance}`}>
              <StateGlyph state={it.reading.standing === 'ill' ? 'strained' : it.reading.standing} word="" />
              <ServiceMark service={it.service} />
              <a href={href(podPath(it.container || it.instance))} suppressHydrationWarning>
                {it.instance || it.service}
              </a>
              <span className="mono">
                {it.reading.usual && `${readingText('p95', it.reading.usual.median)} → `}
                {readingText('p95', it.reading.value)}
              </span>
            </li>
          ))}
          {host.residents.length === 0 && <li className="dim">nobody that handled a request in this window</li>}
        </ul>
        {host.residents.length > MOST_RESIDENTS && <p className="dim">{host.residents.length - MOST_RESIDENTS} more</p>}
      </section>
      {host.changes.length > 0 && (
        <section>
          <h3>Changes there</h3>
          <ul className={styles.pairs}>
            {host.changes.map((it) => (
              <li key={`${it.at} ${it.title}`}>
                <span className="mono">{clockTime(it.at, zone)}</span>
                <span>
                  {it.title}
                  {it.phase !== 'done' && ` ${it.phase === 'begin' ? 'began' : 'ended'}`}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      <p className={styles.actions}>
        {!isOpen && (
          <a data-main="true" href={href(hostPath(host.name))} suppressHydrationWarning>
            Open
          </a>
        )}
        <a href={href('/traces', through)} suppressHydrationWarning>
          Requests
        </a>
        <a href={href('/logs', through)} suppressHydrationWarning>
          Lines
        </a>
        <a href={contrastPath(href, { how: 'sets', a: chips })} suppressHydrationWarning>
          Contrast
        </a>
        {host.standsOn && (
          <a href={href(hostPath(host.standsOn))} suppressHydrationWarning>
            {host.standsOn}
          </a>
        )}
      </p>
    </div>
  );
}
