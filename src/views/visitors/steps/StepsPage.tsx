import { formatCount } from '../../../core/measures/amount.ts';
import { stepsSentence } from '../../../core/visits/words.ts';
import { usePinnables } from '../../../ui/casebook/pinnables.ts';
import type { IslandStart } from '../../../ui/islands/Island.tsx';
import { usePageKeys } from '../../../ui/keys/pageKeys.ts';
import { useSteps } from '../../../ui/queries/visitors.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { usePageOptions } from '../../../ui/state/usePageOptions.ts';
import styles from '../Visitors.module.css';
import { type VisitorsFirst, VisitorsFrame } from '../VisitorsFrame.tsx';
import { VISITORS_OPTIONS } from '../visitorsOptions.ts';
import { Stairs } from './Stairs.tsx';
import { StepEditor } from './StepEditor.tsx';
import { StepsAside } from './StepsAside.tsx';
import { StepTable } from './StepTable.tsx';

/** At which step visitors leave, why, and who. */
export function StepsPage({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  const { scope } = useScope();
  const [options, setOptions] = usePageOptions(first.options, VISITORS_OPTIONS);
  const { steps, within, per, step, group } = options;
  const asked = {
    ...(steps && { steps }),
    ...(within && { within }),
    ...(per && { per }),
    ...(step && { at: step }),
    ...(group && { group }),
  };
  const found = useSteps(scope, options, asked);
  const answer = found.data;
  usePinnables([
    answer && {
      kind: 'steps',
      what: 'how many go from step to step',
      of: 'windows',
      query: { app: answer.app, ...(options.who && { who: options.who }), ...asked },
    },
  ]);
  const choose = (at: number) =>
    answer && setOptions({ step: String(Math.min(answer.steps.length - 2, Math.max(0, at))), group: '' });
  usePageKeys([
    ['j', () => answer && choose(answer.at + 1)],
    ['k', () => answer && choose(answer.at - 1)],
    ['Escape', () => setOptions({ step: '', group: '' })],
  ]);
  const at = answer?.at ?? 0;
  const own = answer?.group;
  return (
    <VisitorsFrame
      start={start}
      first={first}
      here="/visitors/steps"
      options={options}
      setOptions={setOptions}
      found={found}
      answer={answer}
      headline={
        answer
          ? stepsSentence(
              answer.steps[at]?.name ?? '',
              answer.steps[at + 1]?.name ?? '',
              answer.lit[at],
              answer.before[at],
              own
                ? {
                    values: own.facets.map((facet, place) => `${facet} ${own.values[place]}`),
                    reached: own.lit[at].reached,
                    left: own.left,
                    crashed: own.crashed,
                  }
                : null,
            )
          : ''
      }
      note={
        answer?.lit[0] &&
        `${formatCount(answer.lit[0].reached)} ${per === 'user' ? 'users' : 'visits'} began${answer.underWay > 0 ? `; ${answer.underWay} may still go on, left out` : ''}`
      }
      empty={answer?.counts.lit.visits === 0}
      inspectorLabel="Who leaves, and why"
      inspector={
        answer && answer.counts.lit.visits > 0 ? (
          <StepsAside answer={answer} who={options.who} choose={(value) => setOptions({ group: value })} />
        ) : undefined
      }
    >
      {answer && (
        <div className={styles.page} data-stale={found.isPlaceholderData}>
          <StepEditor answer={answer} options={options} setOptions={setOptions} />
          {answer.steps.length > 1 ? (
            <>
              <Stairs answer={answer} choose={choose} />
              <StepTable answer={answer} choose={choose} />
            </>
          ) : (
            <p className="dim">Add a second step to see how many go on.</p>
          )}
        </div>
      )}
    </VisitorsFrame>
  );
}
