import { useElementSize } from '@mantine/hooks';
import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from 'react';
import type { CodeProfile } from '../../../api/code/profile.ts';
import { flameLayout, nodeAt } from '../../../core/profile/flameLayout.ts';
import { formatCost, middleName, percent, placeOf } from '../../../core/profile/words.ts';
import { useScheme } from '../../../ui/theme/schemeState.ts';
import { drawBefore, drawLit, flameColours, LEVEL, THIN_LEVEL, type Zoom } from './drawFlame.ts';
import styles from './Flame.module.css';

interface FlameProps {
  readonly profile: CodeProfile;
  /** The chosen function, as `name|file`. */
  readonly chosen: string;
  readonly choose: (key: string) => void;
  /** Text that is looked for in names and files. */
  readonly find: string;
}

const WHOLE: Zoom = { left: 0, width: 1 };
/** Levels of before that are drawn; deeper ones are told by the table. */
const MOST_BEFORE = 8;
const BAND = 24;

/** Calls back to back: what was before upward, what is lit downward, each box as wide as its share. */
export function Flame({ profile, chosen, choose, find }: FlameProps) {
  const { tree } = profile;
  const { ref: sizer, width: measured } = useElementSize();
  const canvas = useRef<HTMLCanvasElement>(null);
  const { scheme } = useScheme();
  const [zoomed, setZoomed] = useState<{ readonly tree: typeof tree; readonly node: number }>();
  const [hovered, setHovered] = useState<{ readonly node: number; readonly x: number; readonly y: number }>();
  const lit = useMemo(() => flameLayout(tree, 'lit'), [tree]);
  const before = useMemo(() => flameLayout(tree, 'before'), [tree]);
  const pairs = profile.before.value > 0;
  const width = Math.max(200, measured);
  const node = zoomed?.tree === tree ? zoomed.node : 0;
  const zoom = node > 0 && lit.width[node] > 0 ? { left: lit.left[node], width: lit.width[node] } : WHOLE;
  const zoomBefore = node > 0 && before.width[node] > 0 ? { left: before.left[node], width: before.width[node] } : WHOLE;
  const beforeLevels = pairs ? Math.min(MOST_BEFORE, before.deepest) : 0;
  // Frames that every sample has tell nothing: the runtime's entry is passed over when own code is far from it.
  const first = useMemo(() => firstLevel(profile, lit.end), [profile, lit]);
  const bandTop = beforeLevels > 0 ? Math.max(0, beforeLevels - first + 1) * THIN_LEVEL + 4 : 0;
  const litTop = bandTop + BAND + 2;
  const height = litTop + Math.max(1, lit.deepest - first + 1) * LEVEL + 4;
  const top = (depth: number) => litTop + (depth - first) * LEVEL;
  const bottom = (depth: number) => bandTop - (depth - first + 1) * THIN_LEVEL - 2;
  const chosenNode = useMemo(() => heaviestOf(tree, chosen), [tree, chosen]);
  const isFound = useMemo(() => finder(tree, find), [tree, find]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn anew when the scheme has changed its colours
  useEffect(() => {
    const element = canvas.current;
    const context = element?.getContext('2d');
    if (!element || !context || measured === 0) return;
    const ratio = window.devicePixelRatio || 1;
    element.width = width * ratio;
    element.height = height * ratio;
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, width, height);
    const colours = flameColours(element);
    const common = { context, tree, colours, width, isFound, searching: find !== '' };
    context.save();
    context.beginPath();
    context.rect(0, litTop, width, height - litTop);
    context.clip();
    drawLit({ ...common, layout: lit, zoom, top, chosen: chosenNode, pairs });
    context.restore();
    if (beforeLevels > 0) {
      context.save();
      context.beginPath();
      context.rect(0, 0, width, bandTop - 3);
      context.clip();
      drawBefore({ ...common, layout: before, zoom: zoomBefore, bottom });
      context.restore();
    }
  }, [tree, width, height, measured, node, chosenNode, find, scheme, pairs]);

  const find_ = (event: PointerEvent) => {
    const box = canvas.current!.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    if (y >= litTop) {
      const level = first + Math.floor((y - litTop) / LEVEL);
      return { node: nodeAt(lit, zoom.left + (x / width) * zoom.width, level), x, y };
    }
    if (y >= bandTop) return { node: -1, x, y };
    const level = first + Math.floor((bandTop - 2 - y) / THIN_LEVEL);
    return { node: nodeAt(before, zoomBefore.left + (x / width) * zoomBefore.width, level), x, y };
  };
  const chooseNode = (at: number) => {
    const frame = tree.frames[tree.frame[at]];
    if (frame) choose(`${frame.name}|${frame.file}`);
  };
  const press = (event: KeyboardEvent) => {
    const at = chosenNode;
    const siblings = at > 0 ? childrenOf(tree, lit.end, tree.parent[at]) : [];
    const place = siblings.indexOf(at);
    if (event.key === 'ArrowDown') chooseNode(childrenOf(tree, lit.end, at).sort((a, b) => tree.lit[b] - tree.lit[a])[0] ?? at);
    else if (event.key === 'ArrowUp' && tree.parent[at] > 0) chooseNode(tree.parent[at]);
    else if (event.key === 'ArrowRight') chooseNode(siblings[place + 1] ?? at);
    else if (event.key === 'ArrowLeft') chooseNode(siblings[place - 1] ?? at);
    else if (event.key === 'Enter') setZoomed({ tree, node: at });
    else if (event.key === 'Escape' && node > 0) setZoomed(undefined);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const about = hovered && hovered.node > 0 ? describe(profile, hovered.node) : undefined;
  return (
    <div className={styles.flame}>
      <p className={styles.legend}>
        {pairs ? (
          <span className={styles.before}>
            {profile.reference}, share of {formatCost(profile.before.value, profile.unit)}
          </span>
        ) : (
          <span className="dim">nothing was sampled {profile.reference === 'before' ? 'before' : `of ${profile.reference}`}</span>
        )}
        <span>
          <i data-is="own" /> own code <i data-is="library" /> library <i data-is="grown" /> grown since {profile.reference}{' '}
          <i data-is="edge" /> where {profile.reference} ended
        </span>
      </p>
      <div
        ref={sizer}
        className={styles.picture}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: boxes are walked by keyboard
        tabIndex={0}
        role="img"
        aria-label={`Calls of ${profile.service} as boxes, as wide as their share. Arrows walk, Enter makes one as wide as the picture, Escape goes back. The table below says the same.`}
        onKeyDown={press}
        onPointerMove={(event) => setHovered(find_(event))}
        onPointerLeave={() => setHovered(undefined)}
        onClick={(event) => {
          const { node: at } = find_(event as unknown as PointerEvent);
          if (at > 0) chooseNode(at);
        }}
        onDoubleClick={(event) => {
          const { node: at } = find_(event as unknown as PointerEvent);
          setZoomed(at > 0 ? { tree, node: at } : undefined);
        }}
      >
        <canvas ref={canvas} style={{ width, height }} />
        <div className={styles.band} style={{ top: bandTop, height: BAND }}>
          <Band profile={profile} />
        </div>
        {about && (
          <div className={styles.about} style={{ left: Math.min(hovered!.x + 12, width - 330), top: hovered!.y + 18 }}>
            <b>{about.name}</b>
            <span>{about.place}</span>
            <span>{about.share}</span>
          </div>
        )}
      </div>
      <p className={styles.legend}>
        <span className={styles.lit}>lit, share of {formatCost(profile.lit.value, profile.unit)}</span>
        <span className="dim">
          {node > 0 && (
            <button type="button" onClick={() => setZoomed(undefined)}>
              show all again
            </button>
          )}{' '}
          {tree.leftOut.nodes > 0 &&
            `${tree.leftOut.nodes} ${tree.leftOut.nodes === 1 ? 'frame' : 'frames'} narrower than 1/20,000 left out`}
        </span>
      </p>
    </div>
  );
}

/** A request of each side at one scale, where requests were counted. */
function Band({ profile }: { profile: CodeProfile }) {
  const { lit, before, unit, service, reference } = profile;
  if (lit.requests === 0) return <span className="dim">{service}</span>;
  const [now, was] = [lit.value / lit.requests, before.requests > 0 ? before.value / before.requests : null];
  const scale = Math.max(now, was ?? 0) || 1;
  return (
    <>
      {was !== null && was > 0 && (
        <>
          <i style={{ width: `${Math.max(0.4, (100 * was) / scale)}%` }} />
          <span className={styles.before}>a request {reference}, at the scale of a lit one</span>
        </>
      )}
      <b>
        {service}, a request{' '}
        <span className="mono">
          {was !== null && was > 0 && `${formatCost(was, unit)} → `}
          {formatCost(now, unit)}
        </span>
      </b>
    </>
  );
}

type Tree = CodeProfile['tree'];

/** How many of the outermost levels every sample has, but for the last library one: they are passed over. */
function firstLevel({ tree }: CodeProfile, end: Int32Array): number {
  let level = 1;
  let node = 0;
  for (;;) {
    const children = childrenOf(tree, end, node);
    if (children.length !== 1) return level;
    const [child] = children;
    if (tree.frames[tree.frame[child]].own || tree.lit[child] < tree.lit[node] || tree.before[child] < tree.before[node])
      return level;
    const [next] = childrenOf(tree, end, child);
    if (next === undefined || tree.frames[tree.frame[next]].own) return level;
    node = child;
    level++;
  }
}

function childrenOf({ parent }: Tree, end: Int32Array, node: number): number[] {
  const children: number[] = [];
  for (let at = node + 1; at < end[node] && at < parent.length; at = end[at]) children.push(at);
  return children;
}

/** The heaviest box of a function; -1 for none. */
function heaviestOf(tree: Tree, key: string): number {
  let most = -1;
  for (let node = 1; node < tree.frame.length; node++) {
    const { name, file } = tree.frames[tree.frame[node]];
    if (`${name}|${file}` === key && (most < 0 || tree.lit[node] > tree.lit[most])) most = node;
  }
  return most;
}

function finder({ frames }: Tree, find: string): (frame: number) => boolean {
  const wanted = find.toLowerCase();
  const found = frames.map(({ name, file }) => wanted !== '' && `${name} ${file}`.toLowerCase().includes(wanted));
  return (frame) => found[frame] ?? false;
}

function describe({ tree, lit, before, unit }: CodeProfile, node: number) {
  const frame = tree.frames[tree.frame[node]];
  const shares = [
    before.value > 0 ? `${percent(tree.before[node] / before.value)} → ` : '',
    percent(tree.lit[node] / (lit.value || 1)),
  ];
  return {
    name: middleName(frame.name),
    place: placeOf(frame),
    share: `${shares.join('')} %, ${formatCost(tree.lit[node], unit)}`,
  };
}
