import type { ServiceVersions } from '../../api/services/versions.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { dayTime } from '../../core/time/clock.ts';
import { DragToLight } from '../../ui/charts/DragToLight.tsx';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Versions.module.css';
import { versionName } from './words.ts';

interface VersionStripsProps {
  readonly answer: ServiceVersions;
  readonly now: number;
  readonly choose: (part: { older: string } | { newer: string }) => void;
}

const WIDTH = 420;
const HEIGHT = 26;

/** Each version's share of the calls over the lit window, a strip each; two of them are held against each other. */
export function VersionStrips({ answer, now, choose }: VersionStripsProps) {
  const zone = useZone();
  const { versions, older, newer, litWindow, stepMs, changes } = answer;
  const from = Date.parse(litWindow.from);
  const span = Date.parse(litWindow.to) - from;
  const totals = (versions[0]?.lit ?? []).map((_, at) => versions.reduce((sum, { lit }) => sum + lit[at], 0));
  const all = totals.reduce((sum, it) => sum + it, 0);
  return (
    <table className={styles.strips} aria-label="Versions and their share of calls">
      <thead>
        <tr>
          <th>version</th>
          <th>share of calls over the lit window</th>
          <th className={styles.figure}>lit</th>
          <th className={styles.figure}>calls</th>
          <th>first seen</th>
          <th>older</th>
          <th>newer</th>
        </tr>
      </thead>
      <tbody>
        {versions.map((it) => {
          const lit = it.lit.reduce((sum, value) => sum + value, 0);
          const step = WIDTH / it.lit.length;
          return (
            <tr key={it.version} data-side={it.version === newer ? 'newer' : it.version === older ? 'older' : undefined}>
              <th scope="row">{versionName(it.version)}</th>
              <td>
                <DragToLight from={from} to={from + span}>
                  <svg
                    viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
                    preserveAspectRatio="none"
                    role="img"
                    aria-label={`${versionName(it.version)}: ${formatShare(all === 0 ? 0 : lit / all)} of the calls of the lit window`}
                  >
                    {it.lit.map((calls, at) => {
                      const share = totals[at] === 0 ? 0 : calls / totals[at];
                      return (
                        <rect
                          // biome-ignore lint/suspicious/noArrayIndexKey: a bar is its place in time
                          key={at}
                          x={at * step}
                          width={Math.max(0.5, step - 0.6)}
                          y={HEIGHT * (1 - share)}
                          height={HEIGHT * share}
                        />
                      );
                    })}
                    {changes.map(({ at, title }) => (
                      <line
                        key={`${at} ${title}`}
                        x1={(WIDTH * (at - from)) / span}
                        x2={(WIDTH * (at - from)) / span}
                        y1={0}
                        y2={HEIGHT}
                      >
                        <title>{title}</title>
                      </line>
                    ))}
                  </svg>
                </DragToLight>
              </td>
              <td className={styles.figure}>{all === 0 ? '–' : formatShare(lit / all)}</td>
              <td className={styles.figure}>{formatCount(it.calls)}</td>
              <td className="dim" title={`counted in stretches of ${Math.round(stepMs / 60_000)} min`}>
                {it.firstAt <= from ? 'before' : dayTime(it.firstAt, zone, now)}
              </td>
              <td>
                <input
                  type="radio"
                  name="older"
                  aria-label={`hold against ${versionName(it.version)}`}
                  checked={it.version === older}
                  disabled={it.version === newer}
                  onChange={() => choose({ older: it.version })}
                />
              </td>
              <td>
                <input
                  type="radio"
                  name="newer"
                  aria-label={`look at ${versionName(it.version)}`}
                  checked={it.version === newer}
                  disabled={it.version === older}
                  onChange={() => choose({ newer: it.version })}
                />
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
