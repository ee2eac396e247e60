import { type PointerEvent, type ReactNode, useRef, useState } from 'react';
import { windowAt } from '../../core/scope/scope.ts';
import { useScope } from '../state/scopeState.ts';
import styles from './DragToLight.module.css';

interface DragToLightProps {
  /** When the picture begins and ends, epoch milliseconds; with the lit window by default. */
  readonly from?: number;
  readonly to?: number;
  /** Pixels at its sides that are no time. */
  readonly left?: number;
  readonly right?: number;
  /** Whether it is as wide as the picture, and not as what it stands in. */
  readonly hug?: boolean;
  readonly children: ReactNode;
}

/** A press that moves less than this is a click, and left to the picture. */
const DRAGGED = 4;
const SHORTEST_MS = 60_000;

/** Around a picture over time: a drag over it lights the stretch it covers. */
export function DragToLight({ from, to, left = 0, right = 0, hug = false, children }: DragToLightProps) {
  const { scope, change } = useScope();
  const begun = useRef<number>(undefined);
  /** Whether the press that ended last was a drag: the click that follows it is nobody's. */
  const wasDrag = useRef(false);
  const [drag, setDrag] = useState<readonly [number, number]>();
  const within = (event: PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return Math.min(Math.max(event.clientX - box.left, left), box.width - right);
  };
  const end = (event: PointerEvent<HTMLDivElement>) => {
    begun.current = undefined;
    wasDrag.current = drag !== undefined;
    if (!drag) return;
    setDrag(undefined);
    const width = event.currentTarget.getBoundingClientRect().width - left - right;
    const lit = windowAt(scope.lit, Date.now());
    const [begins, ends] = [from ?? lit.from, to ?? lit.to];
    const [first, last] = [...drag]
      .sort((a, b) => a - b)
      .map((x) => begins + ((x - left) / Math.max(1, width)) * (ends - begins));
    change({ ...scope, lit: { type: 'fixed', from: Math.round(first), to: Math.round(Math.max(last, first + SHORTEST_MS)) } });
  };
  return (
    <div
      className={styles.picture}
      data-hug={hug}
      onPointerDown={(event) => {
        if (event.button === 0) begun.current = within(event);
      }}
      onPointerMove={(event) => {
        if (begun.current === undefined) return;
        const x = within(event);
        if (!drag && Math.abs(x - begun.current) < DRAGGED) return;
        // Only now: a click belongs to what is inside.
        event.currentTarget.setPointerCapture(event.pointerId);
        setDrag([begun.current, x]);
      }}
      onPointerUp={end}
      onClickCapture={(event) => {
        if (wasDrag.current) event.stopPropagation();
        wasDrag.current = false;
      }}
      onPointerCancel={() => {
        begun.current = undefined;
        setDrag(undefined);
      }}
    >
      {children}
      {drag && <i className={styles.stretch} style={{ left: Math.min(...drag), width: Math.abs(drag[1] - drag[0]) }} />}
    </div>
  );
}
