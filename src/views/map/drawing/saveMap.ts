import type { MapAnswer } from '../../../api/map/map.ts';
import type { Starts } from '../../../api/map/starts.ts';
import { formatShare } from '../../../core/incidents/words.ts';
import type { MapLayout } from '../../../core/maps/mapLayout.ts';
import { formatRate } from '../../../core/measures/rate.ts';
import { dotText, mermaidText, type WrittenGraph } from '../../../core/topology/graphText.ts';
import { saveCsv } from '../../../ui/save/csv.ts';
import { saveFile } from '../../../ui/save/file.ts';
import { timeParts } from '../../../ui/topology/stripes.ts';
import type { SavedAs } from '../MapToolbar.tsx';
import type { Roles } from '../roles.ts';
import type { Shown } from '../shown.ts';
import { failingShare, mapHeadline, plateWords, rateOf, scaleOf } from '../words.ts';
import { mapSvg } from './mapSvg.ts';
import { figureWords, nodeWords, overWords } from './plateText.ts';

interface SavedMap {
  readonly map: MapAnswer;
  readonly shown: Shown;
  readonly layout: MapLayout | undefined;
  readonly starts: Starts | undefined;
  readonly roles: Roles;
}

const NAME = 'map';

/** Saves what is shown of the map as a file. */
export async function saveMap(as: SavedAs, { map, shown, layout, starts, roles }: SavedMap): Promise<void> {
  const { lit } = map;
  const scale = scaleOf(lit);
  if (as === 'CSV') {
    saveCsv(NAME, tableRows(map, shown, roles));
    return;
  }
  if (as === 'JSON') {
    const whole = { lit: map.lit, before: map.before, nodes: shown.nodes, edges: shown.edges };
    saveFile(`${NAME}.json`, new Blob([JSON.stringify(whole, null, 2)], { type: 'application/json' }));
    return;
  }
  if (as === 'GraphViz DOT' || as === 'Mermaid') {
    const graph: WrittenGraph = {
      nodes: shown.nodes.map((it) => ({
        id: it.id,
        name: it.operation ? `${it.service} ${it.name}` : it.name,
        kind: it.kind,
        label: plateWords(it.lit, rateOf(it.lit, lit, scale)),
      })),
      edges: shown.edges.map((it) => {
        const failing = failingShare(it.lit) >= 0.005 ? `, ${formatShare(failingShare(it.lit))} failing` : '';
        return { from: it.from, to: it.to, label: `${formatRate(rateOf(it.lit, lit, scale))}${failing}` };
      }),
    };
    const [text, name] = as === 'Mermaid' ? [mermaidText(graph), `${NAME}.mmd`] : [dotText(graph), `${NAME}.dot`];
    saveFile(name, new Blob([text], { type: 'text/plain;charset=utf-8' }));
    return;
  }
  if (!layout) return;
  const isByOperation = shown.nodes.some((it) => it.operation !== null);
  const times = new Map(starts?.time.map((it) => [it.service, it.lit]));
  const svg = mapSvg({
    headline: mapHeadline(map, starts),
    shown,
    layout,
    roles,
    plate: (node) => {
      return {
        words: figureWords(node, rateOf(node.lit, lit, scale), isByOperation),
        over: overWords(node, roles.ofNode(node.id), nodeWords(starts, node)),
        stripe: timeParts(times.get(node.service ?? node.id)),
      };
    },
    colour: presentColours(),
  });
  if (as === 'SVG picture') saveFile(`${NAME}.svg`, new Blob([svg], { type: 'image/svg+xml' }));
  else saveFile(`${NAME}.png`, await pngOf(svg));
}

/** What a CSS colour is in the scheme that is shown. */
function presentColours(): (css: string) => string {
  const probe = document.createElement('i');
  document.body.append(probe);
  const known = new Map<string, string>();
  queueMicrotask(() => probe.remove());
  return (css) => {
    let colour = known.get(css);
    if (colour === undefined) {
      probe.style.color = css;
      colour = asSrgb(getComputedStyle(probe).color);
      known.set(css, colour);
    }
    return colour;
  };
}

/** Mixed colours come as "color(srgb r g b)", which few programs read. */
function asSrgb(colour: string): string {
  const parts = /^color\(srgb ([\d.e-]+) ([\d.e-]+) ([\d.e-]+)/.exec(colour);
  return parts
    ? `rgb(${parts
        .slice(1, 4)
        .map((it) => Math.round(Number(it) * 255))
        .join(', ')})`
    : colour;
}

const PIXELS = 2;

async function pngOf(svg: string): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement('canvas');
  canvas.width = image.width * PIXELS;
  canvas.height = image.height * PIXELS;
  canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('the picture is too large'))), 'image/png'),
  );
}

function tableRows(map: MapAnswer, shown: Shown, roles: Roles): (string | number | null)[][] {
  const sides = (it: Shown['nodes'][number] | Shown['edges'][number]) =>
    [it.before, it.lit].flatMap((sum) => [sum.calls, sum.failures, ms(sum.p50Ns), ms(sum.p95Ns)]);
  const heads = ['before', 'lit'].flatMap((side) =>
    ['calls', 'failing', 'p50 ms', 'p95 ms'].map((figure) => `${figure} ${side}`),
  );
  const nameOf = new Map(map.nodes.map(({ id, name }) => [id, name]));
  return [
    ['from', 'to', 'what', ...heads, 'part in the trouble'],
    ...shown.nodes.map((it) => ['', it.name, it.kind, ...sides(it), roles.ofNode(it.id).replace('none', '')]),
    ...shown.edges.map((it) => [nameOf.get(it.from) ?? '', nameOf.get(it.to) ?? '', it.protocol, ...sides(it), '']),
  ];
}

function ms(ns: number | null): number | null {
  return ns === null ? null : Number((ns / 1e6).toFixed(3));
}
