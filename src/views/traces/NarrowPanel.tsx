import type { NamedFigures, TraceOverview } from '../../api/traces/overview.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { condition, type OwnField } from '../../core/scope/condition.ts';
import {
  chosenValue,
  durationBounds,
  type Scope,
  withChip,
  withDurations,
  withoutField,
  withValueTurned,
} from '../../core/scope/scope.ts';
import { formatDuration, parseDuration } from '../../core/time/duration.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './NarrowPanel.module.css';

const SLOWER = ['100ms', '1s', '3s', '10s'];

/** By what the list can be narrowed: each line is a click, with how many requests it leaves and their p95. */
export function NarrowPanel({ overview }: { overview: TraceOverview | undefined }) {
  const { scope, change } = useScope();
  const chosenOf = (field: OwnField) => chosenValue(scope, field);
  const turn = (field: OwnField, value: string) => change(withValueTurned(scope, field, value));
  const { least, most } = durationBounds(scope);
  // One name may stand in several services: an operation is chosen together with whose it is.
  const isOperation = ({ service, name }: NamedFigures) => chosenOf('operation') === name && chosenOf('service') === service;
  if (!overview) return <p className="dim">Counting …</p>;
  return (
    <div className={styles.panel}>
      <section>
        <h2>Outcome</h2>
        <Line chosen={chosenOf('failed') === 'yes'} onClick={() => turn('failed', 'yes')} count={overview.failed} p95Ns={null}>
          <StateGlyph state="failing" word="" /> with a failure
        </Line>
        <Line
          chosen={chosenOf('failed') === 'no'}
          onClick={() => turn('failed', 'no')}
          count={overview.count - overview.failed}
          p95Ns={null}
        >
          <StateGlyph state="calm" word="" /> all fine
        </Line>
      </section>
      <section>
        <h2>Slower than</h2>
        <div className={styles.presets}>
          {SLOWER.map((value) => (
            <button
              key={value}
              type="button"
              aria-pressed={least === parseDuration(value)}
              onClick={() =>
                change(withDurations(scope, least === parseDuration(value) ? undefined : parseDuration(value), most))
              }
            >
              {value.replace(/(\D+)$/, ' $1')}
            </button>
          ))}
        </div>
      </section>
      <Group
        title="Entry"
        lines={overview.entries}
        isChosen={(line) => chosenOf('entry') === line.name}
        pick={(line) => turn('entry', line.name)}
      />
      <Group
        title="Through service"
        lines={overview.services}
        isChosen={(line) => chosenOf('service') === line.name}
        pick={(line) => turn('service', line.name)}
      />
      <Group
        title="With operation"
        lines={overview.operations}
        isChosen={(line) => isOperation(line)}
        pick={(line) => change(isOperation(line) ? withoutField(scope, 'operation') : withOperation(scope, line))}
      />
    </div>
  );
}

function withOperation(scope: Scope, { service, name }: NamedFigures): Scope {
  return withChip(withChip(scope, condition('service', 'is', service)), condition('operation', 'is', name));
}

interface GroupProps {
  readonly title: string;
  readonly lines: readonly NamedFigures[];
  readonly isChosen: (line: NamedFigures) => boolean;
  readonly pick: (line: NamedFigures) => void;
}

function Group({ title, lines, isChosen, pick }: GroupProps) {
  return (
    <section>
      <h2>
        {title} <span className="dim">requests · p95</span>
      </h2>
      {lines.map((line) => (
        <Line
          key={`${line.service} ${line.name}`}
          chosen={isChosen(line)}
          onClick={() => pick(line)}
          count={line.count}
          p95Ns={line.p95Ns}
          title={`${shownName(line.service)} · ${shownName(line.name)}`}
        >
          <ServiceMark service={line.service} height={12} /> <span className={styles.name}>{shownName(line.name)}</span>
        </Line>
      ))}
    </section>
  );
}

interface LineProps {
  readonly chosen: boolean;
  readonly onClick: () => void;
  readonly count: number;
  readonly p95Ns: number | null;
  readonly title?: string;
  readonly children: React.ReactNode;
}

function Line({ chosen, onClick, count, p95Ns, title, children }: LineProps) {
  return (
    <button type="button" className={styles.line} aria-pressed={chosen} onClick={onClick} title={title}>
      <span className={styles.what}>{children}</span>
      <span className="mono dim">{formatCount(count)}</span>
      <span className="mono">{p95Ns === null ? '' : formatDuration(p95Ns)}</span>
    </button>
  );
}
