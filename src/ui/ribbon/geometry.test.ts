import { describe, expect, it } from 'vitest';
import { beforePlace, daysWide, dragged, gripAt, SHORTEST_MS, timeAt, wordsPlace, xAt, zoomed } from './geometry.ts';

const view = { from: 0, to: 1_000_000 };
const lit = { from: 400_000, to: 600_000 };

describe('the ribbon', () => {
  it('places times and finds them again', () => {
    expect(xAt(250_000, view, 800)).toBe(200);
    expect(timeAt(200, view, 800)).toBe(250_000);
  });

  it('is held by the edges, by the window, or by nothing', () => {
    expect([395, 405, 500, 596, 100].map((x) => gripAt(x, lit, view, 1000))).toEqual(['from', 'from', 'move', 'to', 'draw']);
    // A window of two pixels: the nearer edge.
    expect([498, 503].map((x) => gripAt(x, { from: 499_000, to: 501_000 }, view, 1000))).toEqual(['from', 'to']);
  });

  it('moves the window, pulls an edge, draws another', () => {
    expect(dragged('move', lit, 500_000, 550_000)).toEqual({ from: 450_000, to: 650_000 });
    expect(dragged('from', lit, 400_000, 300_000)).toEqual({ from: 300_000, to: 600_000 });
    expect(dragged('to', lit, 600_000, 700_000)).toEqual({ from: 400_000, to: 700_000 });
    expect(dragged('draw', lit, 300_000, 100_000)).toEqual({ from: 100_000, to: 300_000 });
  });

  it('never makes a window shorter than a minute', () => {
    expect(dragged('from', lit, 400_000, 900_000)).toEqual({ from: 600_000 - SHORTEST_MS, to: 600_000 });
    expect(dragged('to', lit, 600_000, 0)).toEqual({ from: 400_000, to: 400_000 + SHORTEST_MS });
    expect(dragged('draw', lit, 100, 200)).toEqual({ from: 100, to: 100 + SHORTEST_MS });
  });

  it('has the words about the window behind it, before it or in it, never beyond an end', () => {
    expect(wordsPlace(100, 300, 1000, 250)).toEqual({ left: 308 });
    expect(wordsPlace(600, 900, 1000, 250)).toEqual({ right: 408 });
    expect(wordsPlace(10, 990, 1000, 250)).toEqual({ left: 18 });
    expect(wordsPlace(200, 900, 1000, 250)).toEqual({ left: 208 });
    expect(wordsPlace(-500, -200, 1000, 250)).toEqual({ left: 4 });
    expect(wordsPlace(1200, 1400, 1000, 250)).toEqual({ right: 4 });
  });

  it('has the words about before at its bracket, clear of the lit window where there is room, wider by the days they tell', () => {
    expect(beforePlace(300, [600, 800], 1000, 200)).toBe(300);
    expect(beforePlace(undefined, [600, 800], 1000, 200)).toBe(8);
    expect(beforePlace(-400, [600, 800], 1000, 200)).toBe(4);
    expect(beforePlace(900, [100, 300], 1000, 200)).toBe(800);
    expect(beforePlace(450, [600, 800], 1000, 200)).toBe(400);
    expect(beforePlace(50, [160, 900], 1000, 200)).toBe(4);
    expect(daysWide('22:56–23:09')).toBe(0);
    expect(daysWide('Mon 30 Nov 22:56–23:09')).toBe(55);
  });

  it('zooms about a moment, which stays where it is, within the whole', () => {
    const whole = { from: 0, to: 10_000_000 };
    const closer = zoomed(whole, whole, 2_500_000, 0.5);
    expect(closer).toEqual({ from: 1_250_000, to: 6_250_000 });
    expect(xAt(2_500_000, closer, 100)).toBe(25);
    expect(zoomed(closer, whole, 1_250_000, 10)).toEqual(whole);
    expect(zoomed({ from: 0, to: 700_000 }, whole, 0, 0.01)).toEqual({ from: 0, to: 600_000 });
  });
});
