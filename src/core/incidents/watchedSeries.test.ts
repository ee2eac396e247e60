import { describe, expect, it } from 'vitest';
import { seriesName, seriesPath, seriesThing, shapeOfSeries, shapeSeriesName } from './watchedSeries.ts';

describe('the series of a message shape', () => {
  const name = shapeSeriesName('590e9fe7f861afea', 'key k-… unknown\n  at window');
  const series = { kind: 'shape', owner: 'tidewatch', name } as const;

  it('is called by what it says, and opens on its lines', () => {
    expect(seriesName(series)).toBe('tidewatch “key k-… unknown”');
    expect(seriesThing(series)).toBe('“key k-… unknown”');
    expect(seriesPath(series)).toBe('/logs?shape=590e9fe7f861afea&as=lines');
  });

  it('keeps a long message short, and knows the one that stands for all that found no room', () => {
    expect(shapeOfSeries(shapeSeriesName('590e9fe7f861afea', 'x'.repeat(500))).text).toHaveLength(160);
    expect(shapeOfSeries('other')).toEqual({ id: '', text: 'other' });
    expect(seriesPath({ ...series, name: 'other' })).toBe('/logs?severity=fatal,error');
  });
});

it('operations are called by their names, pages as such', () => {
  expect(seriesName({ kind: 'operation', owner: 'holds', name: 'POST /holds' })).toBe('holds POST /holds');
  expect(seriesName({ kind: 'page', owner: 'quayside-web', name: '/manifest' })).toBe('quayside-web page /manifest');
});
