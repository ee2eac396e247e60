import { useEffect, useRef, useState } from 'react';
import type { LogLine } from '../../api/logs/lines.ts';
import type { Scope } from '../../core/scope/scope.ts';
import { fetchTail, type LineQuestion } from '../../ui/queries/logs.ts';

/** Lines that are kept in sight, at most. */
const MOST_LINES = 3_000;
const PAUSE_MS = 1_000;

export interface LogFollow {
  readonly lines: readonly LogLine[];
  readonly passedOver: number;
  readonly error: Error | null;
}

/** The lines as they come, the newest last, while `on`; what was there stays when it is paused. */
export function useTail(scope: Scope, question: LineQuestion, on: boolean): LogFollow {
  const [found, setFound] = useState<LogFollow>({ lines: [], passedOver: 0, error: null });
  const since = useRef(0);
  const asked = JSON.stringify([scope.chips, question]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: other lines are another list
  useEffect(() => {
    since.current = 0;
    setFound({ lines: [], passedOver: 0, error: null });
  }, [asked]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is asked stands in `asked`
  useEffect(() => {
    if (!on) return;
    const controller = new AbortController();
    let timer: ReturnType<typeof setTimeout>;
    const turn = async () => {
      try {
        const { lines, until, passedOver } = await fetchTail(
          scope,
          question,
          since.current || Date.now() - 10_000,
          controller.signal,
        );
        since.current = until;
        setFound((before) => {
          const known = new Set(before.lines.map(({ id }) => id));
          const fresh = lines.filter(({ id }) => !known.has(id));
          return {
            lines: fresh.length === 0 ? before.lines : [...before.lines, ...fresh].slice(-MOST_LINES),
            passedOver: before.passedOver + passedOver,
            error: null,
          };
        });
      } catch (error) {
        if (!controller.signal.aborted) setFound((before) => ({ ...before, error: error as Error }));
      }
      if (!controller.signal.aborted) timer = setTimeout(() => void turn(), PAUSE_MS);
    };
    void turn();
    return () => {
      controller.abort();
      clearTimeout(timer);
    };
  }, [on, asked]);
  return found;
}
