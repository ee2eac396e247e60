import { diffLines } from 'diff';
import { useState } from 'react';
import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import type { CodeFinding } from '../../api/code/findings.ts';
import { betterCode, type CodeTrial, middle } from '../../core/fixes/codeTrial.ts';
import { codeVerdict } from '../../core/fixes/fixReport.ts';
import { formatBytes } from '../../core/measures/amount.ts';
import { placeOf } from '../../core/profile/words.ts';
import { formatDuration, shortDuration } from '../../core/time/duration.ts';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import { profilePath } from '../../ui/code/codePath.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useFixes, useRunFixes } from '../../ui/queries/code.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Findings.module.css';

/** A finding in full: what to do, fixes that were tried against the original, and the change of the chosen one. */
export function FixPanel({ finding }: { finding: CodeFinding }) {
  const { href } = useScope();
  const fixes = useFixes(finding.key);
  const run = useRunFixes(finding.key);
  const trial = fixes.data?.trial as CodeTrial | null | undefined;
  const [chosenFile, choose] = useState('');
  const [best] = trial ? betterCode(trial) : [];
  const chosen = trial?.ways.find(({ file }) => file === chosenFile) ?? best ?? trial?.ways[1];
  return (
    <section className={styles.panel} aria-label={finding.title}>
      <header>
        <h2>{finding.title}</h2>
        <a
          href={href(
            profilePath(finding.service, { version: finding.version, function: `${finding.place.name}|${finding.place.file}` }),
          )}
          suppressHydrationWarning
        >
          <code>
            {finding.service}/{placeOf(finding.place)}
          </code>
        </a>
        <p>Do: {finding.advice}</p>
      </header>
      {trial && chosen ? (
        <div className={styles.tried}>
          <div>
            <h3>
              Fixes tried, {trial.rounds} runs each{trial.note && <span className="dim">; {trial.note}</span>}
            </h3>
            <WayTable trial={trial} chosen={chosen.file} choose={choose} />
            <Patch from={trial.ways[0].source} to={chosen.source} name={chosen.file} />
            {fixes.data!.files > 0 && <RunButton label="run again" run={run} state={fixes.data!} />}
          </div>
          <Growth trial={trial} chosen={chosen.file} />
        </div>
      ) : fixes.data && fixes.data.files > 0 ? (
        <p>
          {fixes.data.files} alternatives lie ready to be run against the original.{' '}
          <RunButton label="Try the fixes" run={run} state={fixes.data} />
        </p>
      ) : (
        fixes.data && (
          <div className="dim">
            <p>No fix was tried. Write the function and its alternatives as files that each export it by default, and run:</p>
            <pre
              className={styles.command}
            >{`./dusk bench code original.mjs a.mjs b.mjs --to ${typeof location === 'undefined' ? '' : location.origin} --subject '${finding.key}'`}</pre>
          </div>
        )
      )}
      {(fixes.error ?? run.error) && <p role="alert">{(fixes.error ?? run.error)!.message}</p>}
      {fixes.data?.failed && <p role="alert">The last run failed: {fixes.data.failed}</p>}
    </section>
  );
}

interface RunButtonProps {
  readonly label: string;
  readonly run: ReturnType<typeof useRunFixes>;
  readonly state: { readonly running: { readonly done: number; readonly of: number } | null };
}

function RunButton({ label, run, state }: RunButtonProps) {
  const busy = state.running !== null || run.isPending;
  return (
    <OnlyFor least="responder">
      <button type="button" className={styles.run} disabled={busy} onClick={() => run.mutate()}>
        {state.running ? `running, ${state.running.done} of ${state.running.of} rounds` : label}
      </button>
    </OnlyFor>
  );
}

function WayTable({ trial, chosen, choose }: { trial: CodeTrial; chosen: string; choose: (file: string) => void }) {
  const [original] = trial.ways;
  const sizes = original.bySize.map(([size]) => size);
  const [small, large] = [sizes[Math.floor(sizes.length / 4)], sizes.at(-1)];
  const at = (way: CodeTrial['ways'][number], size: number | undefined) => way.bySize.find(([it]) => it === size)?.[1];
  return (
    <table className={styles.ways}>
      <thead>
        <tr>
          <th>what is changed</th>
          {sizes.length > 1 && (
            <>
              <th>
                {small} {trial.sizeName}
              </th>
              <th>
                {large} {trial.sizeName}
              </th>
            </>
          )}
          <th>all</th>
          <th>memory</th>
          <th>same output</th>
        </tr>
      </thead>
      <tbody>
        {trial.ways.map((way) => (
          <tr key={way.file} data-chosen={way.file === chosen} onClick={() => choose(way.file)}>
            <td>
              <button type="button" onClick={() => choose(way.file)} title={codeVerdict(way, original)}>
                {way.what}
              </button>
            </td>
            {sizes.length > 1 &&
              [small, large].map((size) => {
                const ms = at(way, size);
                return (
                  <td key={size} className="mono">
                    {ms === undefined ? '' : formatDuration(ms * 1e6)}
                  </td>
                );
              })}
            <td className="mono">{way.runs.length > 0 ? formatDuration(middle(way.runs) * 1e6) : 'failed'}</td>
            <td className="mono">{way.failed ? '' : `${way.bytesAtLeast ? '≥ ' : ''}${formatBytes(way.bytes)}`}</td>
            <td className="mono">
              <StateGlyph
                state={way === original ? 'unknown' : way.same === way.of && !way.failed ? 'calm' : 'failing'}
                word=""
              />{' '}
              {way.same}/{way.of}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Time by the size of the input, both on log axes: a straight line is a power of the size. */
function Growth({ trial, chosen }: { trial: CodeTrial; chosen: string }) {
  const [original] = trial.ways;
  if (original.bySize.length < 3) return null;
  const drawn = trial.ways.filter((it) => it.bySize.length > 0 && (it === original || it.same === it.of || it.file === chosen));
  const rows = original.bySize.map(([size]) => ({
    size,
    ...Object.fromEntries(drawn.map((it) => [it.file, it.bySize.find(([of]) => of === size)?.[1]])),
  }));
  const colour = (file: string) => (file === original.file ? 'var(--lit)' : file === chosen ? 'var(--calm)' : 'var(--text-3)');
  const words = (it: CodeTrial['ways'][number]) => (it.slope ? `slope ${it.slope.slope.toFixed(1)}` : '');
  return (
    <figure className={styles.growth}>
      <figcaption>
        <b>Time by {trial.sizeName}</b>{' '}
        <span style={{ color: 'var(--lit-text)' }}>
          {original.what}, {words(original)}
        </span>{' '}
        {drawn
          .filter(({ file }) => file === chosen && file !== original.file)
          .map((it) => (
            <span key={it.file} style={{ color: 'var(--calm)' }}>
              {it.what}, {words(it)}
            </span>
          ))}
      </figcaption>
      <ResponsiveContainer width="100%" height={210}>
        <LineChart data={rows} margin={{ top: 8, right: 10, bottom: 0, left: 0 }} accessibilityLayer={false}>
          <CartesianGrid stroke="var(--line-soft)" />
          <XAxis
            dataKey="size"
            type="number"
            scale="log"
            domain={['dataMin', 'dataMax']}
            tick={{ fontSize: 10, fill: 'var(--text-3)' }}
          />
          <YAxis
            type="number"
            scale="log"
            domain={['auto', 'auto']}
            width={52}
            tickFormatter={(ms: number) => shortDuration(ms * 1e6)}
            tick={{ fontSize: 10, fill: 'var(--text-3)' }}
          />
          <Tooltip
            isAnimationActive={false}
            contentStyle={{ background: 'var(--raised)', border: '1px solid var(--line)', fontSize: 11 }}
            labelFormatter={(size) => `${size} ${trial.sizeName}`}
            formatter={(ms, file) => [
              formatDuration(Number(ms) * 1e6),
              drawn.find((it) => it.file === file)?.what ?? String(file),
            ]}
          />
          {drawn.map((it) => (
            <Line
              key={it.file}
              dataKey={it.file}
              stroke={colour(it.file)}
              strokeWidth={it.file === chosen || it === original ? 2 : 1}
              dot={it.file === chosen || it === original ? { r: 2 } : false}
              isAnimationActive={false}
              connectNulls
            />
          ))}
        </LineChart>
      </ResponsiveContainer>
    </figure>
  );
}

/** Lines that the way takes out and puts in. */
function Patch({ from, to, name }: { from: string; to: string; name: string }) {
  const parts = diffLines(from, to).filter(({ added, removed }) => added || removed);
  const count = parts.reduce((sum, it) => sum + (it.count ?? 0), 0);
  if (parts.length === 0) return null;
  return (
    <details className={styles.patch} open>
      <summary>
        Change in {name}, {count} lines
      </summary>
      <pre>
        {parts.map((part, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the parts of one change stay as they are
          <span key={at} data-added={part.added === true}>
            {part.value
              .replace(/\n$/, '')
              .split('\n')
              .map((line) => `${part.added ? '+' : '−'} ${line}\n`)
              .join('')}
          </span>
        ))}
      </pre>
    </details>
  );
}
