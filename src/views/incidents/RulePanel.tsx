import { useDebouncedValue } from '@mantine/hooks';
import { useState } from 'react';
import { RULE_MEASURES, RULE_TAKES, type Rule, type RuleMeasure, type RuleTakes } from '../../core/incidents/rules.ts';
import { RULE_NAMES, RULE_UNITS, ruleWords, shownPerBound } from '../../core/incidents/ruleWords.ts';
import { clockRange } from '../../core/time/clock.ts';
import { ChangedBy } from '../../ui/access/ChangedBy.tsx';
import { useRules, useRuleTrial, useSetRules } from '../../ui/queries/incidents.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import formEnd from '../../ui/typing/FormEnd.module.css';
import styles from './Incidents.module.css';

const USUAL: Readonly<Record<RuleMeasure, string>> = {
  failures: '2',
  p50: '500',
  p95: '1000',
  p99: '3000',
  rate: '1',
  drop: '50',
  rise: '100',
  burn: '6',
};
const TAKES: Readonly<Record<RuleTakes, string>> = {
  nothing: 'nothing',
  stacks: 'stacks of what runs',
  profile: 'stacks and a profile of 10 s',
};
/** Rules of one's own; the builder shows how often one would have fired before it is put in force. */
export function RulePanel() {
  const rules = useRules();
  const save = useSetRules();
  const [building, setBuilding] = useState(false);
  const list = rules.data?.rules ?? [];
  return (
    <section>
      <h2>Rules of your own</h2>
      {rules.error && <p className="dim">{rules.error.message}</p>}
      {rules.data && list.length === 0 && !building && (
        <p className="dim">None yet. Anomalies are detected automatically. Add rules for what you promised.</p>
      )}
      <ChangedBy least="administrator" words="Rules are set by administrators.">
        {list.map((it) => (
          <div key={it.id} className={styles.rule} data-off={!it.on}>
            <span title={ruleWords(it)}>{it.name}</span>
            <button
              type="button"
              aria-pressed={it.on}
              onClick={() => save.mutate(list.map((other) => (other === it ? { ...it, on: !it.on } : other)))}
            >
              {it.on ? 'on' : 'off'}
            </button>
            <button
              type="button"
              aria-label={`Drop rule ${it.name}`}
              onClick={() => save.mutate(list.filter((other) => other !== it))}
            >
              drop
            </button>
          </div>
        ))}
        {building && rules.data ? (
          <Builder
            journeys={rules.data.journeys}
            put={(rule) => save.mutate([...list, rule], { onSuccess: () => setBuilding(false) })}
            leave={() => setBuilding(false)}
          />
        ) : (
          <button type="button" className={styles.add} onClick={() => setBuilding(true)}>
            + rule
          </button>
        )}
      </ChangedBy>
      {save.error && <p role="alert">{save.error.message}</p>}
    </section>
  );
}

function Builder({ journeys, put, leave }: { journeys: readonly string[]; put: (rule: Rule) => void; leave: () => void }) {
  const [journey, setJourney] = useState(journeys[0] ?? '');
  const [measure, setMeasure] = useState<RuleMeasure>('p95');
  const [bound, setBound] = useState(USUAL.p95);
  const [minutes, setMinutes] = useState('5');
  const [takes, setTakes] = useState<RuleTakes>('nothing');
  const typed = { journey, measure, bound: Number(bound) / shownPerBound(measure), minutes: Number(minutes) };
  const valid =
    journey !== '' &&
    bound.trim() !== '' &&
    typed.bound >= 0 &&
    Number.isInteger(typed.minutes) &&
    typed.minutes >= 1 &&
    typed.minutes <= 360;
  const [tried] = useDebouncedValue(valid ? JSON.stringify(typed) : '', 300);
  const trial = useRuleTrial(tried === '' ? undefined : (JSON.parse(tried) as typeof typed));
  return (
    <form
      className={styles.builder}
      onSubmit={(event) => {
        event.preventDefault();
        if (!valid) return;
        const id = `r${Date.now().toString(36)}`;
        put({ ...typed, takes, id, name: `${journey}, ${bound} ${RULE_UNITS[measure]}`, on: true });
      }}
    >
      <label>
        Journey
        <select value={journey} onChange={(event) => setJourney(event.target.value)}>
          {journeys.map((it) => (
            <option key={it}>{it}</option>
          ))}
        </select>
      </label>
      <label>
        Measure
        <select
          value={measure}
          onChange={(event) => {
            const next = event.target.value as RuleMeasure;
            setMeasure(next);
            setBound(USUAL[next]);
          }}
        >
          {RULE_MEASURES.map((it) => (
            <option key={it} value={it}>
              {RULE_NAMES[it]}
            </option>
          ))}
        </select>
      </label>
      <label>
        {RULE_UNITS[measure]}
        <input className="mono" inputMode="decimal" value={bound} onChange={(event) => setBound(event.target.value)} />
      </label>
      <label>
        over so many minutes
        <input className="mono" inputMode="numeric" value={minutes} onChange={(event) => setMinutes(event.target.value)} />
      </label>
      <label>
        when it fires, probes take
        <select value={takes} onChange={(event) => setTakes(event.target.value as RuleTakes)}>
          {RULE_TAKES.map((it) => (
            <option key={it} value={it}>
              {TAKES[it]}
            </option>
          ))}
        </select>
      </label>
      {(measure === 'drop' || measure === 'rise') && (
        <p className="dim">Differences that chance can make do not count: where few requests come, it takes a larger one.</p>
      )}
      {!valid && <p role="alert">Give a bound of 0 or more and 1 to 360 whole minutes.</p>}
      {valid && <Trial trial={trial.data} error={trial.error} />}
      <div className={formEnd.end}>
        <button type="button" onClick={leave}>
          Leave it
        </button>
        <button type="submit" disabled={!valid} className={formEnd.save}>
          Put in force
        </button>
      </div>
    </form>
  );
}

function Trial({ trial, error }: { trial: ReturnType<typeof useRuleTrial>['data']; error: Error | null }) {
  const zone = useZone();
  const { scope, change } = useScope();
  if (error) return <p role="alert">{error.message}</p>;
  if (!trial) return <p className="dim">Trying it on the stored data …</p>;
  if (trial.words !== '') return <p className="dim">{trial.words}</p>;
  const days = (trial.to - trial.from) / 86_400_000;
  const long = trial.to - trial.from;
  const count = trial.firings.length;
  return (
    <div>
      <p>
        It would have fired <b>{count === 1 ? 'once' : `${count} times`}</b> in{' '}
        {days < 1.5 ? `${Math.round(days * 24)} h` : `${days.toFixed(0)} days`}.
      </p>
      <svg width="100%" height={14} viewBox="0 0 260 14" preserveAspectRatio="none" aria-hidden="true" className={styles.trial}>
        {trial.firings.map((it) => (
          <rect
            key={it.from}
            x={((it.from - trial.from) / long) * 260}
            width={Math.max(1.5, ((it.to - it.from) / long) * 260)}
            y={0}
            height={14}
          />
        ))}
      </svg>
      {trial.firings.slice(-4).map((it) => (
        <button
          key={it.from}
          type="button"
          className={styles.firing}
          onClick={() => change({ ...scope, lit: { type: 'fixed', from: it.from - 5 * 60_000, to: it.to } })}
        >
          {clockRange(it.from, it.to, zone, trial.to)}
        </button>
      ))}
    </div>
  );
}
