import type { ContrastAnswer } from '../../api/contrast/contrast.ts';
import styles from './Contrast.module.css';
import { setWords, shareWords } from './words.ts';

type Layers = ContrastAnswer['stack'];

interface StackPanelProps {
  readonly stack: Layers;
  readonly kept: readonly Layers[];
  readonly toExplain: number;
  /** Takes a kept stack in the place of this one. */
  readonly take: (at: number) => void;
  readonly layBack: () => void;
  readonly keep: () => void;
}

/** What was peeled so far, each from what was left; other stacks beside it. */
export function StackPanel({ stack, kept, toExplain, take, layBack, keep }: StackPanelProps) {
  return (
    <section className={styles.stacks}>
      <h2>
        Peeled so far <span>each from what was left</span>
      </h2>
      {stack.length === 0 && <p className="dim">Nothing yet. Peel off what you believe, and see what is left to explain.</p>}
      <div className={styles.columns} data-empty={stack.length + kept.length === 0}>
        <Column layers={stack} toExplain={toExplain} name="this stack" isThis />
        {kept.map((layers, at) => (
          <button
            key={layers.map(({ key }) => key).join('|')}
            type="button"
            className={styles.keptStack}
            title="Go on with this stack"
            onClick={() => take(at)}
          >
            <Column layers={layers} toExplain={toExplain} name="kept" isThis={false} />
          </button>
        ))}
      </div>
      <p className={styles.verbs}>
        <button type="button" disabled={stack.length === 0} onClick={layBack}>
          lay back
        </button>
        <button type="button" disabled={stack.length === 0} onClick={keep}>
          another stack
        </button>
      </p>
    </section>
  );
}

interface ColumnProps {
  readonly layers: Layers;
  readonly toExplain: number;
  readonly name: string;
  readonly isThis: boolean;
}

function Column({ layers, toExplain, name, isThis }: ColumnProps) {
  const left = layers.length === 0 ? 1 : (layers[layers.length - 1].left ?? 0) / toExplain;
  return (
    <span className={styles.column} data-this={isThis}>
      <span>{name}</span>
      {layers.map((it) => {
        const share = it.amount / toExplain;
        return (
          <span
            key={it.key}
            className={styles.block}
            style={{ flexGrow: Math.max(0.02, Math.min(1, share)) }}
            title={`${setWords(it)}: ${shareWords(share)}`}
          >
            <b className="mono">{shareWords(share)}</b>
            <span>{setWords(it)}</span>
          </span>
        );
      })}
      <span className={styles.remainder} style={{ flexGrow: Math.max(0.02, Math.min(1, left)) }} />
      <span className="mono">
        <b>{shareWords(left)}</b> is left
      </span>
    </span>
  );
}
