import { describe, expect, it } from 'vitest';
import type { MapEdge, MapNode } from '../../../api/map/map.ts';
import type { MapLayout } from '../../../core/maps/mapLayout.ts';
import { edgeId } from '../edgeId.ts';
import type { Roles } from '../roles.ts';
import { mapSvg } from './mapSvg.ts';

const node = (id: string, name = id) => ({ id, name }) as MapNode;
const edge = (from: string, to: string, calls: number, turn = 'stays') => ({ from, to, turn, lit: { calls } }) as MapEdge;
const NO_ROLES: Roles = { ofNode: () => 'none', suffers: () => 0, ofEdge: () => 'none' };
const place = (x: number) => ({ x, y: 10 });

function picture(nodes: MapNode[], edges: MapEdge[], roles = NO_ROLES, headline = 'holds is slow'): string {
  const plates = new Map(nodes.map(({ id }, at) => [id, place(at * 200)]));
  const ways = new Map(edges.map((it) => [`${it.from}>${it.to}`, [place(150), place(200)]]));
  const layout: MapLayout = { direction: 'right', plates, ways: idsAsDrawn(edges, ways), width: 600, height: 100 };
  const plate = () => ({ words: '12/s', over: 'before: 9/s', stripe: [{ share: 0.5, colour: 'red' }] as never });
  return mapSvg({ headline, shown: { nodes, edges }, layout, roles, plate, colour: (css) => `[${css}]` });
}

/** Ways under the ids under which the picture looks for them. */
function idsAsDrawn(edges: MapEdge[], ways: Map<string, { x: number; y: number }[]>) {
  return new Map(edges.map((it) => [edgeId(it), ways.get(`${it.from}>${it.to}`)!]));
}

const count = (text: string, part: string) => text.split(part).length - 1;

describe('the picture of a map that is saved', () => {
  it('has a plate for each place and a line for each call, and says what it is about', () => {
    const svg = picture(
      [node('gateway'), node('holds'), node('berths')],
      [edge('gateway', 'holds', 100), edge('holds', 'berths', 10)],
    );
    expect([count(svg, '<g transform="translate('), count(svg, 'rx="7"'), count(svg, 'fill="none" stroke=')]).toEqual([4, 3, 2]);
    expect(svg).toContain('<title>holds is slow</title>');
    for (const name of ['gateway', 'holds', 'berths']) expect(svg).toContain(`>${name}</text>`);
    expect(count(svg, '12/s')).toBe(3);
  });

  it('is a picture, whatever names and words hold', () => {
    const svg = picture([node('x', '<script>&"')], [], NO_ROLES, 'a < b & "c"');
    expect(svg).toContain('<title>a &lt; b &amp; &quot;c&quot;</title>');
    expect(svg).toContain('&lt;script&gt;&amp;&quot;');
    expect(svg).not.toContain('<script');
    // Each element that is opened is closed.
    const tags = [...svg.matchAll(/<(\/?)(\w+)[^>]*?(\/?)>/g)];
    const open: string[] = [];
    for (const [, closes, name, alone] of tags) {
      if (closes) expect(open.pop()).toBe(name);
      else if (!alone) open.push(name);
    }
    expect(open).toEqual([]);
  });

  it('shortens a name that has no room', () => {
    expect(picture([node('x', 'a service with a very long name')], [])).toContain('>a service with a very…</text>');
  });

  it('shows as a lamp who starts it, by a lit edge who suffers, and by an arrow the calls that carry it', () => {
    const roles: Roles = {
      ofNode: (id) => (id === 'holds' ? 'starts-failures' : id === 'gateway' ? 'passes-failures' : 'none'),
      suffers: (id) => (id === 'gateway' ? 0.5 : 0),
      ofEdge: ({ to }) => (to === 'holds' ? 'failures' : 'none'),
    };
    const svg = picture(
      [node('gateway'), node('holds'), node('berths')],
      [edge('gateway', 'holds', 5), edge('holds', 'berths', 5)],
      roles,
    );
    // The lamp is gold whatever the trouble; the mark beside it says which.
    expect(count(svg, 'fill="[var(--lit)]" stroke="[var(--lit)]"')).toBe(1);
    expect(count(svg, '<rect width="10" height="10" rx="1.5" fill="[var(--failing)]"/>')).toBe(1);
    // What suffers is dark, and lit from the side of the lamp: two pixels, and six for all of the trouble.
    expect(svg).toContain('<rect x="146.0" y="3" width="5.0" height="42" rx="3" fill="[var(--lit)]"/>');
    expect(count(svg, 'M3 -5 -3 0 3 5')).toBe(1);
    // What starts it has no room for where its own time goes.
    expect(count(svg, 'y="40" width')).toBe(2);
  });

  it('dashes what is gone, and draws more calls thicker', () => {
    const svg = picture([node('a'), node('b'), node('c')], [edge('a', 'b', 1000), edge('b', 'c', 1, 'gone')]);
    const widths = [...svg.matchAll(/stroke-width="([\d.]+)"( stroke-dasharray)?/g)].filter(([, width]) => width !== '1.5');
    expect(widths.map(([, width, dash]) => [Number(width), dash !== undefined])).toEqual([
      [3.5, false],
      [expect.closeTo(1.72, 1), true],
    ]);
  });

  it('leaves out what has no place', () => {
    const nodes = [node('a')];
    const layout: MapLayout = { direction: 'right', plates: new Map(), ways: new Map(), width: 10, height: 10 };
    const plate = () => ({ words: '', over: '', stripe: [] as never });
    const svg = mapSvg({
      headline: 'x',
      shown: { nodes, edges: [edge('a', 'b', 1)] },
      layout,
      roles: NO_ROLES,
      plate,
      colour: (css) => css,
    });
    expect(svg).not.toContain('>a</text>');
  });
});
