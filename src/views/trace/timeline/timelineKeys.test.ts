import { describe, expect, it } from 'vitest';
import type { TraceTimeline } from '../../../api/traces/timeline.ts';
import { foldRow, type Opened, outline, subtreeEnds } from './outline.ts';
import { keysOf } from './timelineKeys.ts';

/*
 * 0 request
 * ├ 1 find      on the path
 * │ └ 2 query   on the path
 * ├ 3 look      alike: one fold
 * ├ 4 look
 * └ 5 place     on the path
 */
const PARENT = [-1, 0, 1, 0, 0, 0];
const START = [0, 10, 20, 40, 50, 60];
const trace = {
  spans: { parent: PARENT, startNs: START, service: PARENT.map(() => 0) },
  folds: [{ members: [3, 4] }],
  path: { span: [0, 1, 2, 1, 5, 0], startNs: [0, 10, 20, 30, 60, 90] },
} as unknown as TraceTimeline;

interface State {
  chosen: number;
  closed: Set<number>;
  open: Set<number>;
  zoom: number | undefined;
  told: string[];
}

/** A timeline whose keys are pressed one after the other. */
function timeline(chosen: number, more: { failures?: number[]; matches?: number[] } = {}) {
  const state: State = { chosen, closed: new Set(), open: new Set(), zoom: -99, told: [] };
  const press = (...keys: string[]) => {
    for (const key of keys) {
      const opened: Opened = { closed: state.closed, open: state.open, byService: false };
      const { rows } = outline(trace.spans, trace.folds, opened);
      const list = keysOf({
        trace,
        rows,
        rowOfChosen: rows.indexOf(state.chosen),
        ends: subtreeEnds(trace.spans),
        opened,
        chosen: state.chosen,
        failures: new Map((more.failures ?? []).map((span) => [span, 'failed'])),
        matches: more.matches && new Set(more.matches),
        show: (row) => {
          state.chosen = row;
        },
        fold: (span, closed) => {
          if (closed) state.closed.add(span);
          else state.closed.delete(span);
        },
        toggleFold: (fold) => {
          if (!state.open.delete(fold)) state.open.add(fold);
        },
        search: () => state.told.push('search'),
        zoomTo: (row) => {
          state.zoom = row;
        },
        leave: () => state.told.push('leave'),
      });
      const [, act] = list.find(([name]) => name === key)!;
      act({} as KeyboardEvent);
    }
    return state;
  };
  return { state, press };
}

describe('the keys of a timeline', () => {
  it('go row by row, and stop at the ends', () => {
    const { press } = timeline(0);
    expect(press('j').chosen).toBe(1);
    expect(press('ArrowDown', 'j').chosen).toBe(foldRow(0));
    expect(press('k').chosen).toBe(2);
    expect(press('End').chosen).toBe(5);
    expect(press('j').chosen).toBe(5);
    expect(press('Home', 'ArrowUp').chosen).toBe(0);
    expect(press('PageDown').chosen).toBe(5);
    expect(press('PageUp').chosen).toBe(0);
  });

  it('close what is below a span, and open it again', () => {
    const { press } = timeline(1);
    expect([...press('ArrowLeft').closed]).toEqual([1]);
    // Closed: the next row is not what lies below.
    expect(press('j').chosen).toBe(foldRow(0));
    expect([...press('k', 'ArrowRight').closed]).toEqual([]);
    expect(press('ArrowRight').chosen).toBe(2);
  });

  it('go up to the parent from what has nothing below it', () => {
    const { press } = timeline(2);
    expect(press('ArrowLeft').chosen).toBe(1);
    expect([...press('ArrowLeft').closed]).toEqual([1]);
    expect(press('ArrowLeft').chosen).toBe(0);
    expect([...press('ArrowLeft').closed]).toEqual([1, 0]);
  });

  it('open a fold, go into it, and close it', () => {
    const { press } = timeline(foldRow(0));
    expect([...press('ArrowRight').open]).toEqual([0]);
    expect(press('ArrowRight').chosen).toBe(3);
    press('k');
    expect([...press('ArrowLeft').open]).toEqual([]);
    // A closed fold has its members' parent above it.
    expect(press('ArrowLeft').chosen).toBe(0);
  });

  it('go along the critical path, a span several times where it is on it several times', () => {
    const { press } = timeline(0);
    const steps = ['.', '.', '.', '.', '.', '.'].map((key) => press(key).chosen);
    expect(steps).toEqual([1, 2, 1, 5, 0, 0]);
    expect(press(',').chosen).toBe(5);
    expect(press(',').chosen).toBe(1);
  });

  it('come to the path, from a span that is not on it, where it was at its start', () => {
    expect(timeline(4).press('.').chosen).toBe(1);
    expect(timeline(foldRow(0)).press(',').chosen).toBe(1);
  });

  it('go from failure to failure, and from the last to the first', () => {
    const { press } = timeline(0, { failures: [5, 2] });
    expect(press('f').chosen).toBe(2);
    expect(press('f').chosen).toBe(5);
    expect(press('f').chosen).toBe(2);
    expect(timeline(3).press('f').chosen).toBe(3);
  });

  it('go from find to find, either way round, once something is searched', () => {
    const { press } = timeline(1, { matches: [0, 4, 5] });
    expect(press('n').chosen).toBe(4);
    expect(press('n', 'n').chosen).toBe(0);
    expect(press('shift+n').chosen).toBe(5);
    expect(press('shift+n').chosen).toBe(4);
    expect(timeline(1).press('n').chosen).toBe(1);
  });

  it('zoom to what is chosen and back to all, search, and leave', () => {
    const { press } = timeline(2);
    expect(press('z').zoom).toBe(2);
    expect(press('0').zoom).toBeUndefined();
    expect(press('s', 'Escape').told).toEqual(['search', 'leave']);
  });
});
