import { diffLines } from 'diff';
import type { PlanTrial } from '../../api/planbench/trial.ts';
import styles from './Bench.module.css';

type Way = NonNullable<PlanTrial['original']>;

/** The statement as it is against the chosen way, line by line. */
export function TextDifference({ original, chosen }: { readonly original: Way; readonly chosen: Way }) {
  const parts =
    chosen === original
      ? [{ value: original.shown, added: false, removed: false }]
      : diffLines(`${original.shown}\n`, `${chosen.shown}\n`);
  const before = [
    ...chosen.commands.map((it) => `${it};`),
    ...Object.entries(chosen.settings).map(([name, value]) => `SET LOCAL ${name} = '${value}';`),
  ];
  return (
    <section className={styles.difference} aria-label="The text">
      <h2>
        The text <span className="dim">original against chosen</span>
      </h2>
      <pre>
        {before.map((it) => (
          <ins key={it}>{it}</ins>
        ))}
        {parts.flatMap(({ value, added, removed }, part) =>
          value
            .replace(/\n$/, '')
            .split('\n')
            .map((line, at) => {
              const key = `${part} ${at}`;
              return added ? <ins key={key}>{line}</ins> : removed ? <del key={key}>{line}</del> : <span key={key}>{line}</span>;
            }),
        )}
      </pre>
    </section>
  );
}
