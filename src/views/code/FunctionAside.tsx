import type { CodeProfile } from '../../api/code/profile.ts';
import { formatCost, middleName, percent, placeOf } from '../../core/profile/words.ts';
import { findingPath } from '../../ui/code/codePath.ts';
import { useFindings } from '../../ui/queries/code.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Code.module.css';

/** What is known of the chosen function: its cost, who pays for it, the way down to it, who calls it. */
export function FunctionAside({ profile, choose }: { profile: CodeProfile; choose: (key: string) => void }) {
  const { href, scope } = useScope();
  const findings = useFindings(scope);
  const { chosen, lit, before, unit, service } = profile;
  if (!chosen) return <p className="dim">Choose a box or a function.</p>;
  const share = (of: { lit: number; before: number }) => `${percent(of.lit / (lit.value || 1))} %`;
  const each = (value: number, requests: number) => (requests > 0 ? formatCost(value / requests, unit) : null);
  const found = findings.data?.findings.find(
    (it) =>
      it.service === service &&
      (it.place.name === chosen.name || chosen.way.some(({ name }) => name === it.place.name)) &&
      it.verdict === 'over usual',
  );
  const whole = chosen.operations.reduce((sum, { lit: value }) => sum + value, 0) || 1;
  const libraries = chosen.way.findIndex(({ own }) => own);
  return (
    <div className={styles.aside}>
      <h2 className="mono">{middleName(chosen.name)}</h2>
      <p className="dim">
        {service} · {placeOf(chosen) || 'part of the runtime'} · {chosen.own ? 'own code' : 'library'}
        {before.value > 0 && chosen.total.before === 0 && ' · not there before'}
      </p>
      <table className={styles.figures}>
        <tbody>
          <tr>
            <th>self</th>
            <td>
              <b>{formatCost(chosen.self.lit, unit)}</b>
            </td>
            <td>{share(chosen.self)}</td>
          </tr>
          <tr>
            <th>with what it calls</th>
            <td>
              <b>{formatCost(chosen.total.lit, unit)}</b>
            </td>
            <td>{share(chosen.total)}</td>
          </tr>
          {lit.requests > 0 && (
            <tr>
              <th>a request</th>
              <td>
                <b>{each(chosen.total.lit, lit.requests)}</b>
              </td>
              <td>{before.requests > 0 && `${each(chosen.total.before, before.requests)} before`}</td>
            </tr>
          )}
        </tbody>
      </table>
      {found && (
        <p className={styles.finding}>
          <b>{found.title}:</b> {found.advice}{' '}
          <a href={href(findingPath(found.key))} suppressHydrationWarning>
            Open the finding
          </a>
        </p>
      )}
      {chosen.operations.length > 0 && (
        <section>
          <h3>
            Who pays <span className="dim">share of its {formatCost(chosen.total.lit, unit)}</span>
          </h3>
          <ul className={styles.payers}>
            {chosen.operations.slice(0, 6).map(({ value, lit: part }) => (
              <li key={value}>
                <span>{value || 'no request'}</span>
                <i>
                  <i style={{ width: `${(100 * part) / whole}%` }} />
                </i>
                <b className="mono">{percent(part / whole)} %</b>
              </li>
            ))}
          </ul>
        </section>
      )}
      <section>
        <h3>Way down to it</h3>
        <ol className={styles.way}>
          {libraries > 1 && (
            <li className="dim">
              {middleName(chosen.way[0].name)}, {libraries} frames
            </li>
          )}
          {chosen.way.slice(libraries > 1 ? libraries : 0).map((frame) => (
            <li key={`${frame.name} ${frame.line}`} data-own={frame.own} data-here={frame.name === chosen.name}>
              <button type="button" onClick={() => choose(`${frame.name}|${frame.file}`)}>
                {middleName(frame.name)}
              </button>{' '}
              <span className="dim">{placeOf(frame)}</span>
            </li>
          ))}
        </ol>
      </section>
      {chosen.callers.length > 1 && (
        <section>
          <h3>Called from</h3>
          <ol className={styles.way}>
            {chosen.callers.slice(0, 6).map((it) => (
              <li key={`${it.name} ${it.line}`}>
                <button type="button" onClick={() => choose(`${it.name}|${it.file}`)}>
                  {middleName(it.name)}
                </button>{' '}
                <span className="dim">{placeOf(it)}</span> <b className="mono">{formatCost(it.lit, unit)}</b>
              </li>
            ))}
          </ol>
        </section>
      )}
      <p className={styles.actions}>
        <a href={href(`/services/${encodeURIComponent(service)}`)} suppressHydrationWarning>
          {service}
        </a>
        <a href={href(`/traces?${new URLSearchParams({ as: 'list' })}`)} suppressHydrationWarning>
          Slow traces
        </a>
      </p>
    </div>
  );
}
