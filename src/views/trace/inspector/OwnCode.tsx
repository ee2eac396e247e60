import type { TraceFunctions } from '../../../api/traces/functions.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { profilePath } from '../../../ui/code/codePath.ts';
import { shownName } from '../../../ui/list/shownName.ts';
import { useTraceFunctions } from '../../../ui/queries/traces.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import styles from './BesideSpan.module.css';
import { CodeLine } from './CodeLine.tsx';

/** Into which functions a service's own code on the critical path goes: a line of the ledger, opened. */
export function OwnCode({ traceId, party }: { traceId: string; party: string }) {
  const { href } = useScope();
  const { data, error } = useTraceFunctions(traceId, party);
  if (error) return <p className="dim">Its functions could not be read: {error.message}</p>;
  if (!data) return <p className="dim">Looking for its functions …</p>;
  return (
    <section className={styles.beside} aria-label={`Own code of ${party}`}>
      <p>{words(data, party)}</p>
      {data.enough && (
        <ul className={styles.code}>
          {data.functions.map((it) => (
            <CodeLine
              key={`${it.name} ${it.file}`}
              frame={it}
              own={it.own}
              below={it.below}
              share={it.ns / data.durationNs}
              figure={`${Math.round((100 * it.ns) / data.durationNs)} %`}
              title={`${formatDuration(it.ns)} of ${formatDuration(data.durationNs)}, by ${it.samples} samples`}
            />
          ))}
        </ul>
      )}
      {data.enough && data.restNs > 0 && <p className="dim">Other functions: {formatDuration(data.restNs)}</p>}
      {data.enough && data.unsampledNs > 0 && (
        <p className="dim">In spans without a sample: {formatDuration(data.unsampledNs)}</p>
      )}
      <p>
        <a href={href(profilePath(party))} suppressHydrationWarning>
          Profile of {shownName(party)}
        </a>
      </p>
    </section>
  );
}

const MEASURED = { cpu: 'on the processor', wall: 'by the clock, waits too' } as const;

function words({ type, samples, enough, durationNs }: TraceFunctions, party: string): string {
  if (type === null) return `No profiler took a sample in own code of ${party} here.`;
  const taken = samples === 1 ? 'One sample was taken' : `${samples} samples were taken`;
  if (!enough) return `${taken} in it: too few to say where its time went.`;
  return `${formatDuration(durationNs)} by ${samples} samples ${MEASURED[type]}; a share of a half is within ${range(samples)} %`;
}

/** Half the width of the interval, in per cent, in which a share of a half lies 95 times in 100. */
function range(samples: number): string {
  const half = (100 * 1.96 * 0.5) / Math.sqrt(samples);
  return `± ${Math.ceil(half)}`;
}
