import { useDebouncedValue } from '@mantine/hooks';
import { useMemo, useState } from 'react';
import type { Masking } from '../../api/intake/masking.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { type MaskRule, masker } from '../../core/masking/rules.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useMasking, useMaskPreview, useSetMasking } from '../../ui/queries/intake.ts';
import { useMay } from '../../ui/state/who.ts';
import styles from './Intake.module.css';
import { IntakeTabs } from './IntakeTabs.tsx';

export interface MaskingFirst {
  readonly masking?: Masking;
  readonly series?: RequestSeries;
}

const KINDS: Readonly<Record<MaskRule['kind'], string>> = {
  key: 'whole value, by the key',
  value: 'parts of any text',
  sql: 'literals in SQL',
};

/** The rules by which personal things are masked before they are stored, and what each would do. */
export function MaskingPage({ start, first }: { start: IslandStart; first: MaskingFirst }) {
  const masking = useMasking(first.masking);
  const save = useSetMasking();
  const may = useMay('administrator');
  // What was changed here and is not in force yet; undefined when nothing was.
  const [draft, setDraft] = useState<readonly MaskRule[]>();
  const [chosen, choose] = useState(0);
  const rules = draft ?? masking.data?.rules ?? [];
  const rule = rules[chosen];
  const wrong = rules.map(wrongWith);
  const change = (at: number, to: MaskRule) => setDraft(rules.map((it, index) => (index === at ? to : it)));
  const add = (it: MaskRule) => {
    setDraft([...rules, it]);
    choose(rules.length);
  };
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={save.isPending}
      trouble={masking.error}
      inspectorLabel="What the rule would do"
      inspector={
        <>
          <TryText rules={rules.filter((_, at) => !wrong[at])} />
          <Preview rule={rule && !wrong[chosen] ? rule : undefined} />
        </>
      }
    >
      <IntakeTabs here="/intake/masking" />
      <h1>{headline(rules)}</h1>
      <p className={styles.words}>
        What a rule fits is replaced by [masked: name] before anything is stored. Rules hold for what comes from now on; what is
        kept already stays as it is.
      </p>
      <div className={styles.actions}>
        <OnlyFor least="administrator">
          <button
            type="button"
            className={styles.action}
            data-main="true"
            disabled={!draft || wrong.some(Boolean) || save.isPending}
            onClick={() => draft && save.mutate(draft, { onSuccess: () => setDraft(undefined) })}
          >
            Put in force
          </button>
        </OnlyFor>
        <button type="button" className={styles.action} disabled={!draft} onClick={() => setDraft(undefined)}>
          Undo
        </button>
        <button
          type="button"
          className={styles.action}
          onClick={() => add({ kind: 'key', name: 'secret', on: true, pattern: '*.example' })}
        >
          + key
        </button>
        <button
          type="button"
          className={styles.action}
          onClick={() => add({ kind: 'value', name: 'number', on: true, pattern: 'OR-\\d{6}' })}
        >
          + text
        </button>
        <button type="button" className={styles.action} disabled={!masking.data} onClick={() => setDraft(masking.data?.defaults)}>
          As delivered
        </button>
        {draft && <span className="dim">{may ? 'not in force yet' : 'tried here only: administrators put rules in force'}</span>}
        {save.error && (
          <span className={styles.trouble} role="alert">
            {save.error.message}
          </span>
        )}
      </div>
      <table className={styles.table}>
        <thead>
          <tr>
            <th>On</th>
            <th className={styles.name}>Name</th>
            <th>Takes</th>
            <th className={styles.wide}>Pattern</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {rules.map((it, at) => (
            <tr
              // biome-ignore lint/suspicious/noArrayIndexKey: a rule is its place, its name may be another's too
              key={at}
              aria-selected={at === chosen}
              onFocus={() => choose(at)}
              onClick={() => choose(at)}
            >
              <td>
                <input
                  type="checkbox"
                  checked={it.on}
                  aria-label={`${it.name} on`}
                  onChange={() => change(at, { ...it, on: !it.on })}
                />
              </td>
              <td>
                <input
                  className={styles.pattern}
                  value={it.name}
                  aria-label="Name"
                  onChange={(event) => change(at, { ...it, name: event.currentTarget.value })}
                />
              </td>
              <td>
                {KINDS[it.kind]}
                {it.kind === 'value' && it.luhn && ', with the check digit of a card'}
              </td>
              <td>
                {it.kind !== 'sql' && (
                  <input
                    className={styles.pattern}
                    value={it.pattern}
                    aria-label={`Pattern of ${it.name}`}
                    aria-invalid={wrong[at] !== undefined}
                    onChange={(event) => change(at, { ...it, pattern: event.currentTarget.value })}
                  />
                )}
                {wrong[at] && <span className={styles.trouble}>{wrong[at]}</span>}
              </td>
              <td>
                <button
                  type="button"
                  className={styles.action}
                  aria-label={`Remove ${it.name}`}
                  onClick={() => setDraft(rules.filter((_, index) => index !== at))}
                >
                  remove
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Frame>
  );
}

function headline(rules: readonly MaskRule[]): string {
  const names = [...new Set(rules.filter(({ on }) => on).map(({ name }) => name))];
  if (names.length === 0) return 'Nothing is masked';
  return `Masked before it is stored: ${names.length === 1 ? names[0] : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`}`;
}

function wrongWith(rule: MaskRule): string | undefined {
  if (rule.name.trim() === '') return 'it needs a name';
  if (rule.kind !== 'sql' && rule.pattern === '') return 'it needs a pattern';
  try {
    masker([{ ...rule, on: true }]);
    return undefined;
  } catch (error) {
    return (error as Error).message;
  }
}

/** What all rules together, as they stand here, make of a text that somebody types. It goes nowhere. */
function TryText({ rules }: { rules: readonly MaskRule[] }) {
  const [text, setText] = useState('');
  const ready = useMemo(() => masker(rules), [rules]);
  const [, key, value] = /^([\w.-]{1,100})\s*[:=]\s*(.*)$/s.exec(text) ?? [];
  const ofKey = key ? ready.ofKey(key) : null;
  return (
    <section>
      <label>
        <h2>Try a text</h2>
        <textarea
          className={styles.tryText}
          rows={3}
          value={text}
          placeholder="a log line, an address, or key: value"
          onChange={(event) => setText(event.currentTarget.value)}
        />
      </label>
      {text !== '' && (
        <p className={styles.tried} role="status">
          <ins className="mono">{ready.ofText('text', text)}</ins>
          {ofKey && value !== '' && (
            <>
              <br />
              <span className="dim">as an attribute named {key}: </span>
              <ins className="mono">{ofKey.text}</ins>
            </>
          )}
        </p>
      )}
    </section>
  );
}

/** What a rule would do to what was kept last. */
function Preview({ rule }: { rule: MaskRule | undefined }) {
  const [asked] = useDebouncedValue(rule, 300);
  const preview = useMaskPreview(asked);
  if (!rule) return <p className="dim">Choose a rule to see what it would do.</p>;
  if (preview.error) return <p className={styles.trouble}>{preview.error.message}</p>;
  if (!preview.data) return <p className="dim">Reading the latest records …</p>;
  const { looked, hits, examples } = preview.data;
  return (
    <div className={styles.panel}>
      <section>
        <h2>{hits === 0 ? 'Nothing it would mask' : `${formatCount(hits)} it would mask`}</h2>
        <p className="dim">among the last {formatCount(looked)} records. Values that are already masked are shown as stored.</p>
        <ul className={styles.examples}>
          {examples.map((it) => (
            <li key={it.signal + it.key + it.before}>
              <div className="dim">
                {it.signal}
                {it.key && `, ${it.key}`}
              </div>
              <del className="mono">{it.before}</del>
              <br />
              <ins className="mono">{it.after}</ins>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}
