import type { MapNode } from '../../../api/map/map.ts';
import { type Direction, type MapLayout, PLATE } from '../../../core/maps/mapLayout.ts';
import type { StripeParts } from '../../../ui/charts/Stripe.tsx';
import { edgeId } from '../edgeId.ts';
import type { Role, Roles } from '../roles.ts';
import type { Shown } from '../shown.ts';
import { middle, wayPath } from '../ways.ts';
import { glowWidth } from './glow.ts';

/** What a plate says in the picture that is saved. */
export interface SvgPlate {
  readonly words: string;
  readonly over: string;
  readonly stripe: StripeParts;
}

interface SvgMap {
  readonly headline: string;
  readonly shown: Pick<Shown, 'nodes' | 'edges'>;
  readonly layout: MapLayout;
  readonly roles: Roles;
  readonly plate: (node: MapNode) => SvgPlate;
  /** What a CSS colour with variables is in the present scheme. */
  readonly colour: (css: string) => string;
}

const MARGIN = 40;
const HEAD = 44;

/** The map as an SVG picture that stands by itself: no style sheet, no font but what the reader has. */
export function mapSvg({ headline, shown, layout, roles, plate, colour }: SvgMap): string {
  const width = Math.ceil(layout.width + 2 * MARGIN);
  const height = Math.ceil(layout.height + 2 * MARGIN + HEAD);
  const most = Math.max(1, ...shown.edges.map((it) => it.lit.calls));
  const line = colour('color-mix(in srgb, var(--text-3) 48%, var(--ground))');
  const edges = shown.edges.flatMap((edge) => {
    const way = layout.ways.get(edgeId(edge));
    if (!way || way.length === 0) return [];
    const carries = roles.ofEdge(edge);
    const stroke = carries === 'none' ? line : colour('var(--lit)');
    const thick = (0.9 + 2.6 * Math.sqrt(Math.log1p(edge.lit.calls) / Math.log1p(most))).toFixed(2);
    const dash = edge.turn === 'gone' ? ' stroke-dasharray="4 4"' : '';
    const { x, y, angle } = middle(way);
    const arrow =
      carries === 'none'
        ? ''
        : `<path d="M3 -5 -3 0 3 5" fill="none" stroke="${stroke}" stroke-width="1.8" transform="translate(${x} ${y}) rotate(${angle})"/>`;
    return [
      `<path d="${wayPath(way, layout.direction)}" fill="none" stroke="${stroke}" stroke-width="${thick}"${dash}/>${arrow}`,
    ];
  });
  const plates = shown.nodes.flatMap((node) => {
    const place = layout.plates.get(node.id);
    if (!place) return [];
    const role = roles.ofNode(node.id);
    const starts = role.startsWith('starts');
    const { words, over, stripe } = plate(node);
    const { fill, stroke, ink, soft } = coloursOf(role, colour);
    const parts = stripeRects(stripe, colour);
    return [
      `<g transform="translate(${place.x} ${place.y})">`,
      over === ''
        ? ''
        : `<text x="${starts ? 16 : 1}" y="-6" font-size="10.5" fill="${colour(starts ? 'var(--lit-text)' : 'var(--text-2)')}">${escaped(over)}</text>`,
      `<rect width="${PLATE.width}" height="${PLATE.height}" rx="7" fill="${fill}" stroke="${stroke}" stroke-width="1.5"/>`,
      `<text x="11" y="19" font-size="13" font-weight="600" fill="${ink}">${escaped(shortened(node.name))}</text>`,
      `<text x="11" y="34" font-size="11" font-family="monospace" fill="${soft}">${escaped(words)}</text>`,
      starts ? stateMark(role, colour) : parts,
      role.startsWith('passes') ? glow(roles.suffers(node.id), layout.direction, colour) : '',
      '</g>',
    ];
  });
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="sans-serif">`,
    `<title>${escaped(headline)}</title>`,
    `<rect width="100%" height="100%" fill="${colour('var(--ground)')}"/>`,
    `<text x="${MARGIN}" y="${MARGIN}" font-size="22" font-family="serif" fill="${colour('var(--text)')}">${escaped(headline)}</text>`,
    `<g transform="translate(${MARGIN} ${MARGIN + HEAD})">`,
    ...edges,
    ...plates,
    '</g></svg>',
  ].join('\n');
}

/** The state of what starts trouble, beside the words over its plate: a crossed square, or a half-filled diamond. */
function stateMark(role: Role, colour: (css: string) => string): string {
  if (role === 'starts-failures')
    return `<g transform="translate(1 -15)"><rect width="10" height="10" rx="1.5" fill="${colour('var(--failing)')}"/><path d="M2.6 2.6l4.8 4.8m0-4.8-4.8 4.8" stroke="${colour('var(--ground)')}" stroke-width="1.5"/></g>`;
  const strained = colour('var(--strained)');
  return `<g transform="translate(1 -15)"><path d="M5 .4 9.6 5 5 9.6.4 5Z" fill="none" stroke="${strained}" stroke-width="1.2"/><path d="M5 .4V9.6L.4 5Z" fill="${strained}"/></g>`;
}

/** The edge that faces the lamp, as thick as the share of the trouble that comes through. */
function glow(suffers: number, direction: Direction, colour: (css: string) => string): string {
  const width = glowWidth(suffers);
  const thick = width.toFixed(1);
  const [x, y, across, down] =
    direction === 'right'
      ? [(PLATE.width - width + 1).toFixed(1), 3, thick, PLATE.height - 6]
      : [3, (PLATE.height - width + 1).toFixed(1), PLATE.width - 6, thick];
  return `<rect x="${x}" y="${y}" width="${across}" height="${down}" rx="3" fill="${colour('var(--lit)')}"/>`;
}

function coloursOf(role: Role, colour: (css: string) => string) {
  const plain = { ink: colour('var(--text)'), soft: colour('var(--text-2)'), fill: colour('var(--surface)') };
  switch (role) {
    case 'starts-failures':
    case 'starts-slowness': {
      const ink = colour('var(--lit-ink)');
      return { fill: colour('var(--lit)'), stroke: colour('var(--lit)'), ink, soft: ink };
    }
    default:
      return { ...plain, stroke: colour('var(--line)') };
  }
}

function stripeRects(parts: StripeParts, colour: (css: string) => string): string {
  const whole = PLATE.width - 22;
  let x = 11;
  return parts
    .map(({ share, colour: css }) => {
      const width = share * whole;
      const rect = `<rect x="${x.toFixed(1)}" y="40" width="${width.toFixed(1)}" height="4" fill="${colour(css)}"/>`;
      x += width;
      return rect;
    })
    .join('');
}

/** Names longer than a plate end in a mark. */
const LONGEST = 22;

function shortened(name: string): string {
  return name.length > LONGEST ? `${name.slice(0, LONGEST - 1)}…` : name;
}

const ENTITIES: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };

function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (mark) => ENTITIES[mark]);
}
