import { useState } from 'react';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import { type ShapeDecisionBody, useShapeDecision } from '../../ui/queries/logs.ts';
import styles from './Logs.module.css';
import { type LogShape, nameOfHole, shapeText, shortened } from './words.ts';

interface ShapeDecisionsProps {
  readonly shape: LogShape;
  readonly shapes: readonly LogShape[];
  /** Opens the shape that the lines are counted as once it is decided. */
  readonly show: (id: string) => void;
}

/** Fewer different values say nothing apart. */
const FEWEST = 2;

/** What one decides about a shape when the lines were not told apart as one would: it holds for all stored lines, and can be taken back. */
export function ShapeDecisions({ shape, shapes, show }: ShapeDecisionsProps) {
  const decision = useShapeDecision();
  const [chosen, setChosen] = useState('');
  const decide = (body: ShapeDecisionBody) =>
    decision.mutate(body, {
      onSuccess: ({ shapes: counted }) => {
        setChosen('');
        show(counted[0]);
      },
    });
  const others = shapes.filter(({ id }) => id !== shape.id);
  const varying = shape.holes
    .map((hole, at) => ({ hole, at }))
    .filter(({ hole }) => !hole.many && hole.distinct >= FEWEST && hole.distinct <= hole.top.length);
  const isDecided = shape.joined.length > 0 || shape.apartOf !== null || shape.toldApart > 0;
  return (
    <div className={styles.decisions}>
      {isDecided && (
        <p>
          {[
            shape.joined.length > 0 && `By hand, also of: ${shape.joined.map((it) => `“${shortened(it, 60)}”`).join(', ')}.`,
            shape.apartOf !== null && `By hand, apart of “${shortened(shape.apartOf, 80)}”.`,
            shape.toldApart > 0 && `By hand, ${shape.toldApart === 1 ? 'one is' : `${shape.toldApart} are`} told apart of it.`,
          ]
            .filter(Boolean)
            .join(' ')}{' '}
          <OnlyFor least="responder">
            <button type="button" disabled={decision.isPending} onClick={() => decide({ decide: 'as found', shape: shape.id })}>
              as found again
            </button>
          </OnlyFor>
        </p>
      )}
      <OnlyFor least="responder">
        <p>
          {varying.map(({ hole, at }) => (
            <button
              key={at}
              type="button"
              disabled={decision.isPending}
              title={`${nameOfHole(shape, at)} ${hole.top.map(({ value }) => value).join(', ')}: each a shape of its own`}
              onClick={() => decide({ decide: 'apart', shape: shape.id, hole: at, values: hole.top.map(({ value }) => value) })}
            >
              apart by {shortened(hole.top.map(({ value }) => value).join(', '), 40)}
            </button>
          ))}
          <label>
            together with{' '}
            <select value={chosen} onChange={(event) => setChosen(event.target.value)}>
              <option value="">another shape …</option>
              {others.map((it) => (
                <option key={it.id} value={it.id}>
                  {shortened(shapeText(it), 80)}
                </option>
              ))}
            </select>
          </label>
          {chosen !== '' && (
            <button
              type="button"
              disabled={decision.isPending}
              onClick={() => decide({ decide: 'together', shapes: [shape.id, chosen] })}
            >
              count as one
            </button>
          )}
          {decision.isPending && <span role="status">Counting anew …</span>}
        </p>
      </OnlyFor>
      {decision.error && <p role="alert">{decision.error.message}</p>}
    </div>
  );
}
