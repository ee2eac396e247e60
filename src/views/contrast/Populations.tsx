import { IconArrowsExchange } from '@tabler/icons-react';
import type { ContrastAnswer } from '../../api/contrast/contrast.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { parseCondition, splitConditions } from '../../core/scope/conditionText.ts';
import { parseDuration } from '../../core/time/duration.ts';
import { TypedPopover } from '../../ui/typing/TypedPopover.tsx';
import styles from './Contrast.module.css';
import type { ContrastOptions } from './options.ts';
import { ThresholdPicture } from './ThresholdPicture.tsx';
import { amountWords } from './words.ts';

interface PopulationsProps {
  readonly answer: ContrastAnswer | undefined;
  readonly options: ContrastOptions;
  /** What A and B are, in words. */
  readonly words: { readonly a: string; readonly b: string };
  readonly change: (part: Partial<ContrastOptions>) => void;
}

/** The two populations, each a sentence whose dashed words can be changed; they can change places. */
export function Populations({ answer, options, words, change }: PopulationsProps) {
  const isTurned = options.swap === 'yes';
  const side = (which: 'a' | 'b') => {
    const own = which === (isTurned ? 'b' : 'a') ? 'a' : 'b';
    const figures = answer?.[which];
    return (
      <section className={styles.side} data-side={which} aria-label={which === 'a' ? 'Population A' : 'Population B'}>
        <b>{which.toUpperCase()}</b>
        <p>
          <Words options={options} own={own} words={words[which]} answer={answer} change={change} />
          <span className="mono">
            {figures
              ? `${formatCount(Math.round(figures.requests))} requests${answer && figures.mean !== null && !(answer.byOutcome && answer.outcome === 'failures') ? ` · ${answer.outcome === 'duration' ? 'mean ' : 'failing '}${amountWords(figures.mean, answer.outcome)}` : ''}`
              : '…'}
          </span>
        </p>
      </section>
    );
  };
  return (
    <div className={styles.sides}>
      {side('a')}
      <button
        type="button"
        className={styles.swap}
        title="A and B change places (x)"
        aria-label="A and B change places"
        aria-pressed={isTurned}
        onClick={() => change({ swap: isTurned ? 'no' : 'yes', peel: [], kept: [] })}
      >
        <IconArrowsExchange size={16} stroke={1.6} />
      </button>
      {side('b')}
    </div>
  );
}

interface WordsProps extends Omit<PopulationsProps, 'words'> {
  /** Which population of the question it is, whatever place it has. */
  readonly own: 'a' | 'b';
  readonly words: string;
}

function Words({ options, own, words, answer, change }: WordsProps) {
  if (options.how === 'slow' && own === 'a')
    return (
      <TypedPopover
        button={words}
        buttonClass={styles.dashed}
        title="Change from when on a request is slow"
        label="Slow from"
        placeholder="1.2s"
        take={(typed) => {
          const ns = parseDuration(typed);
          if (!ns) return `"${typed}" is no duration: try 3s or 250ms`;
          change({ over: String(ns), peel: [], kept: [] });
        }}
        below={(close) => (
          <>
            <ThresholdPicture
              answer={answer}
              pick={(ns) => {
                change({ over: String(Math.round(ns)), peel: [], kept: [] });
                close();
              }}
            />
            <button
              type="button"
              className={styles.plain}
              onClick={() => {
                change({ over: '', peel: [], kept: [] });
                close();
              }}
            >
              where the durations part by themselves
            </button>
          </>
        )}
      />
    );
  if (options.how === 'sets')
    return (
      <TypedPopover
        button={words}
        buttonClass={styles.dashed}
        title="Change the conditions"
        label={own === 'a' ? 'Requests of A fit' : 'Requests of B fit'}
        placeholder="ferry.channel is kiosk"
        wide
        take={(typed) => {
          const fault = splitConditions(typed)
            .map(parseCondition)
            .find((it) => typeof it === 'string');
          if (typeof fault === 'string') return fault;
          change({ [own]: typed, peel: [], kept: [] });
        }}
        below={(close) =>
          own === 'b' && (
            <button
              type="button"
              className={styles.plain}
              onClick={() => {
                change({ b: '', peel: [], kept: [] });
                close();
              }}
            >
              all others of the lit window
            </button>
          )
        }
      />
    );
  return <span>{words}</span>;
}
