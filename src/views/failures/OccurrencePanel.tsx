import { useState } from 'react';
import type { Occurrences } from '../../api/failures/failures.ts';
import { type Condition, condition } from '../../core/scope/condition.ts';
import { writePattern } from '../../core/scope/conditionText.ts';
import { withChip } from '../../core/scope/scope.ts';
import { clockTimeExact } from '../../core/time/clock.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { logsPath } from '../../ui/logs/logsPath.ts';
import { useOccurrences } from '../../ui/queries/failures.ts';
import { Stack } from '../../ui/stack/Stack.tsx';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Failures.module.css';

/** The occurrences of one kind of failure: message, stack with one's own frames first to be seen, parameters, the way to the trace. */
export function OccurrencePanel({ id, text, service }: { id: string; text: string; service: string }) {
  const { scope, href } = useScope();
  const zone = useZone();
  const found = useOccurrences(scope, text, id);
  const [at, setAt] = useState(0);
  if (found.error) return <p className="dim">{found.error.message}</p>;
  const all = found.data?.occurrences;
  if (!all) return <p className="dim">Looking …</p>;
  const it = all[Math.min(at, all.length - 1)];
  return (
    <div className={styles.panel}>
      <div className={styles.step}>
        <button type="button" disabled={at === 0} onClick={() => setAt(at - 1)}>
          later
        </button>
        <span className="mono">
          {Math.min(at, all.length - 1) + 1} of {found.data!.total}
        </span>
        <button type="button" disabled={at >= all.length - 1} onClick={() => setAt(at + 1)}>
          earlier
        </button>
      </div>
      <p className={styles.message}>{it.message || 'It says nothing of itself.'}</p>
      <p>
        <a href={`${href(`/traces/${it.traceId}`)}&span=${it.spanId}`} suppressHydrationWarning>
          Open the trace at this span
        </a>{' '}
        <a
          href={contrastPath(href, { how: 'sets', outcome: 'failures', a: [failingAt(service, it.operation)] })}
          suppressHydrationWarning
        >
          What have they in common?
        </a>{' '}
        <a
          href={logsPath((path) => href(path, withChip(scope, condition('service', 'is', service))), { severity: 'fatal,error' })}
          suppressHydrationWarning
        >
          Error lines of {service}
        </a>
      </p>
      <dl className={styles.facts}>
        <Fact name="at" value={clockTimeExact(it.at, zone)} />
        <Fact name="request" value={it.entry} />
        <Fact name="operation" value={it.operation} />
        {it.user && <Fact name="user" value={it.user} />}
      </dl>
      {it.stack !== '' && <Stack key={it.spanId} stack={it.stack} />}
      <Attributes title="Parameters" of={it.attributes} />
      <Attributes title="Resource" of={it.resource} />
    </div>
  );
}

/** The condition that the requests fit which fail there. */
function failingAt(service: string, operation: string): Condition {
  const conditions = [
    condition('service', 'is', service),
    condition('operation', 'is', operation),
    condition('failed', 'is', 'yes'),
  ];
  return condition('span', 'where', writePattern([{ conditions, under: null }]));
}

function Attributes({ title, of }: { title: string; of: Occurrences['occurrences'][number]['attributes'] }) {
  const entries = Object.entries(of);
  if (entries.length === 0) return null;
  return (
    <section>
      <h2>{title}</h2>
      <dl className={styles.facts}>
        {entries.map(([key, value]) => (
          <Fact key={key} name={key} value={typeof value === 'object' ? JSON.stringify(value) : String(value)} />
        ))}
      </dl>
    </section>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <div>
      <dt>{name}</dt>
      <dd className="mono">{value}</dd>
    </div>
  );
}
