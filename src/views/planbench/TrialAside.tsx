import { useState } from 'react';
import type { DatabaseStatement } from '../../api/databases/statement.ts';
import type { PlanTrial } from '../../api/planbench/trial.ts';
import { parsePlan } from '../../core/database/planTree.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { worstGuess } from '../../core/planbench/plans.ts';
import { trialReport, verdictWords, waySql } from '../../core/planbench/report.ts';
import type { LeftOut, Tried } from '../../core/planbench/trial.ts';
import { median } from '../../core/planbench/verdict.ts';
import { PROOF_WORDS, savingADay } from '../../core/planbench/words.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { saveFile } from '../../ui/save/file.ts';
import styles from './Bench.module.css';

const time = (ms: number) => formatDuration(ms * 1e6);
const DAY_MS = 86_400_000;
const SHOWN_LEFT_OUT = 4;

/** What the chosen way saves and costs, what was left out, and how it was tried. */
export function TrialAside({
  trial,
  chosen,
  callsADay,
  callers,
}: {
  readonly trial: PlanTrial;
  readonly chosen: Tried | undefined;
  readonly callsADay: number | null;
  readonly callers: DatabaseStatement['callers'];
}) {
  const [copied, setCopied] = useState('');
  const { original, how } = trial;
  const isFaster = original && chosen && chosen.key !== 'original' && chosen.runs.length > 0 && original.runs.length > 0;
  const traced = callers.reduce((sum, it) => sum + it.traces, 0);
  const report = () => trialReport(trial, callsADay, location.href);
  const copy = (what: string, text: string) =>
    navigator.clipboard.writeText(text).then(
      () => setCopied(what),
      () => setCopied('the browser did not let it be copied'),
    );
  const guess = chosen && parsePlan(chosen.plan) && worstGuess(parsePlan(chosen.plan)!);
  return (
    <div className={styles.aside}>
      <h2>
        What it saves <span className="dim">{callsADay === null ? '' : `${formatCount(Math.round(callsADay))} calls a day`}</span>
      </h2>
      {!isFaster && <p className="dim">Choose a way that was run.</p>}
      {isFaster && (
        <>
          {callsADay !== null && chosen.verdict?.is === 'better' && (
            <p className={styles.saving}>
              <b>{time(savingADay(original, chosen, callsADay))}</b> of database time a day
            </p>
          )}
          <dl>
            <dt>a call</dt>
            <dd>
              {time(median(original.runs))} → {time(median(chosen.runs))}
            </dd>
            <dt>how sure</dt>
            <dd>{verdictWords(chosen)}</dd>
            {callsADay !== null && chosen.verdict?.is === 'better' && (
              <>
                <dt>cores set free</dt>
                <dd>{(savingADay(original, chosen, callsADay) / DAY_MS).toPrecision(2)}</dd>
              </>
            )}
            {chosen.workMs !== null && original.workMs !== null && (
              <>
                <dt>without reading</dt>
                <dd>
                  {time(original.workMs)} → {time(chosen.workMs)}
                </dd>
              </>
            )}
            {chosen.index && (
              <>
                <dt>the index</dt>
                <dd>
                  {bytes(chosen.index.bytes)}, built in {time(chosen.index.buildMs)}
                </dd>
                <dt>each written row</dt>
                <dd>{chosen.index.writeUs === null ? 'not measured' : `+ ${chosen.index.writeUs.toPrecision(2)} µs`}</dd>
              </>
            )}
            {chosen.first && (
              <>
                <dt>first run{chosen.first.isCold ? ', cold' : ''}</dt>
                <dd>{time(chosen.first.ms)}</dd>
              </>
            )}
            {chosen.planningMs !== null && (
              <>
                <dt>planning</dt>
                <dd>{time(chosen.planningMs)}</dd>
              </>
            )}
          </dl>
          <p className="dim">Its rows are {PROOF_WORDS[chosen.proof]}.</p>
          {callsADay !== null && chosen.verdict?.is === 'better' && traced > 0 && (
            <ul>
              {callers.slice(0, 4).map((it) => (
                <li key={`${it.service} ${it.operation}`}>
                  {it.operation} <span className="dim">of {it.service}</span>{' '}
                  {time((savingADay(original, chosen, callsADay) * it.traces) / traced)} a day
                </li>
              ))}
            </ul>
          )}
          <div className={styles.actions}>
            <button type="button" className={styles.main} onClick={() => copy('the report is copied', report())}>
              Copy for its team
            </button>
            <button type="button" onClick={() => copy('the SQL is copied', waySql(chosen))}>
              Copy SQL
            </button>
          </div>
        </>
      )}
      <div className={styles.actions}>
        <button type="button" onClick={() => saveFile(`trial-${trial.id}.md`, new Blob([report()], { type: 'text/markdown' }))}>
          Markdown
        </button>
        <button
          type="button"
          onClick={() =>
            saveFile(
              `trial-${trial.id}.sql`,
              new Blob(
                [
                  [trial.original, ...trial.alternatives]
                    .flatMap((it) => (it ? [`-- ${it.words}\n${waySql(it)}`] : []))
                    .join('\n\n'),
                ],
                { type: 'application/sql' },
              ),
            )
          }
        >
          SQL
        </button>
        <button
          type="button"
          onClick={() =>
            saveFile(`trial-${trial.id}.json`, new Blob([JSON.stringify(trial, null, 1)], { type: 'application/json' }))
          }
        >
          JSON
        </button>
      </div>
      <p role="status">{copied}</p>
      <Left trial={trial} />
      <section>
        <h3>How it is tried</h3>
        <p>
          On {how.address || trial.server}
          {how.isCopy ? ', a copy that nobody else uses' : ', which others use'}. {how.runs} runs each, in another order each
          time, after one that does not count. Every run is rolled back.
        </p>
      </section>
      {trial.valueSets.some((it) => it.values.length > 0) && (
        <section>
          <h3>
            Values <span className="dim">times are of the first</span>
          </h3>
          <ul className={styles.sets}>
            {trial.valueSets.map((it) => (
              <li key={it.values.join(' ')}>
                <code>{it.values.join(', ')}</code> {it.rows !== null && <b>{formatCount(it.rows)}</b>}
              </li>
            ))}
          </ul>
        </section>
      )}
      {guess && guess.factor >= 4 && (
        <section>
          <h3>Next to try</h3>
          <p>
            Rows of {guess.step.on || guess.step.type} are guessed{' '}
            <em>
              {guess.factor >= 10 ? formatCount(Math.round(guess.factor)) : guess.factor.toFixed(1)} × too{' '}
              {guess.isTooLow ? 'low' : 'high'}
            </em>
            : statistics of the columns compared there, together or finer.
          </p>
        </section>
      )}
    </div>
  );
}

const BECAUSE: Readonly<Record<LeftOut['because'], string>> = {
  'same plan': 'same plan',
  'no cheaper': 'no better than a simpler index',
  'other rows': 'other rows',
  slower: 'slower',
  'cannot be run': 'cannot be run',
  'not among the first': 'not among those run',
};

function Left({ trial }: { readonly trial: PlanTrial }) {
  const reasons = (Object.keys(BECAUSE) as LeftOut['because'][]).map((because) => ({
    because,
    items: trial.leftOut.filter((it) => it.because === because),
  }));
  return (
    <section>
      <h3>
        Left out <span className="dim">{trial.leftOut.length}</span>
      </h3>
      {reasons.flatMap(({ because, items }) =>
        items.length === 0
          ? []
          : [
              <details key={because} open={because === 'other rows'}>
                <summary>
                  {BECAUSE[because]} <b>{items.length}</b>
                </summary>
                <ul>
                  {items.slice(0, because === 'other rows' ? 20 : SHOWN_LEFT_OUT * 5).map((it) => (
                    <li key={`${it.words} ${it.detail}`}>
                      {it.words}: <span className="dim">{it.detail}</span>
                    </li>
                  ))}
                </ul>
              </details>,
            ],
      )}
    </section>
  );
}

function bytes(value: number): string {
  return value >= 1e9
    ? `${(value / 1e9).toPrecision(3)} GB`
    : value >= 1e6
      ? `${Math.round(value / 1e6)} MB`
      : `${Math.round(value / 1e3)} kB`;
}
