import type { MachineHost } from '../../api/machines/host.ts';
import type { MachineLayers } from '../../api/machines/layers.ts';
import {
  aboveWords,
  causeWords,
  guiltWords,
  LAYER_WORDS,
  layerCount,
  readingText,
  ruleWords,
} from '../../core/machines/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { type Condition, condition } from '../../core/scope/condition.ts';
import { clockTime } from '../../core/time/clock.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { hostPath, podPath } from '../../ui/machines/machinePaths.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Machines.module.css';

const MOST_NEIGHBOURS = 8;

/** The lowest ill layer, what suffers from it, its neighbours, and what is ruled out. */
export function LayersAside({ answer, host }: { answer: MachineLayers; host: MachineHost | undefined }) {
  const { href } = useScope();
  const zone = useZone();
  const { lowest, layers, columns } = answer;
  if (!lowest)
    return (
      <div className={styles.aside}>
        <h2>Nothing below is ill</h2>
        <p className="dim">
          Every process, container, machine, disk and link that these requests stand on is within its usual range, or below the
          mark from which on it would matter, at {clockTime(answer.at, zone)}. What is slow then is slow by its own work, or waits
          for somebody else.
        </p>
        <RuledOut answer={answer} />
        <p className={styles.actions}>
          <a data-main="true" href={href('/map')} suppressHydrationWarning>
            Where it starts, on the map
          </a>
        </p>
      </div>
    );
  const cell = layers.find(({ layer }) => layer === lowest.layer)?.cells.find(({ name }) => name === lowest.name);
  const own = new Set(cell?.columns ?? []);
  const suffering = layers
    .map(({ layer, cells }) => ({ layer, cells: cells.filter(({ role }) => role === 'stands') }))
    .filter(({ cells }) => cells.length > 0);
  const callers = layers[0].cells.filter(({ role }) => role === 'calls');
  const neighbours = layers[0].cells.filter(({ columns: at }) => own.has(at[0]));
  const reading = cell?.readings[0];
  const isMachine = !['service', 'process', 'container'].includes(lowest.layer);
  return (
    <div className={styles.aside}>
      <h2>Lowest ill layer</h2>
      <div className={styles.lowest}>
        <b>
          {LAYER_WORDS[lowest.layer][0]} {lowest.name}
        </b>
        <p>
          Since {clockTime(lowest.since, zone)}
          {lowest.until < Date.parse(answer.litWindow.to) - 60_000 && ` until ${clockTime(lowest.until, zone)}`}:{' '}
          {causeWords(lowest, reading ?? null)}.
        </p>
        {reading && (
          <p className="mono">
            {reading.usual && `${readingText(reading.rule, reading.usual.median)} → `}
            {readingText(reading.rule, reading.value)} {ruleWords(reading.rule)}
          </p>
        )}
        <p>{aboveWords(lowest)}.</p>
        <p>{guiltWords(lowest.guilt, lowest.comparison?.ratio ?? null)}.</p>
        {lowest.comparison && (
          <p className="dim">
            between {lowest.comparison.interval[0].toFixed(1)} and {lowest.comparison.interval[1].toFixed(1)} ×
            {lowest.comparison.before !== null && `, ${lowest.comparison.before.toFixed(1)} × before`};{' '}
            {formatCount(Math.round(lowest.comparison.requests))} requests
          </p>
        )}
      </div>
      {(suffering.length > 0 || callers.length > 0) && (
        <section>
          <h3>Suffer from it</h3>
          <ul className={styles.pairs}>
            {suffering.map(({ layer, cells }) => (
              <li key={layer}>
                <span>{layerCount(layer, cells.length)}</span>
                <span className="mono">
                  {rangeOf(cells)} <span className="dim">{ruleWords(cells[0].readings[0].rule)}</span>
                </span>
              </li>
            ))}
            {callers.map((it) => (
              <li key={it.name}>
                <span>{it.name}, by calling</span>
                <span className="mono">{changeOf(it)}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {neighbours.length > 0 && (
        <section>
          <h3>
            On {lowest.name} <small>p95</small>
          </h3>
          <ul className={styles.pairs}>
            {neighbours.slice(0, MOST_NEIGHBOURS).map((it) => (
              <li key={it.name}>
                <StateGlyph state={it.standing === 'ill' ? 'strained' : it.standing} word="" />
                <ServiceMark service={columns[it.columns[0]].service} />
                <a href={href(podPath(columns[it.columns[0]].container || it.name))} suppressHydrationWarning>
                  {it.name}
                </a>
                <span className="mono">{changeOf(it)}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      <RuledOut answer={answer} />
      <p className={styles.actions}>
        {isMachine && (
          <a data-main="true" href={href(hostPath(lowest.name))} suppressHydrationWarning>
            Open {lowest.name}
          </a>
        )}
        {isMachine && (
          <a href={contrastPath(href, { how: 'sets', a: throughIt(lowest.name, host) })} suppressHydrationWarning>
            Contrast it
          </a>
        )}
      </p>
    </div>
  );
}

/** Requests that came by a machine, or by those that stand on it. */
function throughIt(name: string, host: MachineHost | undefined): Condition[] {
  const guests = host?.name === name ? host.guests.map((it) => it.name) : [];
  return [condition('host.name', 'is', ...(guests.length > 0 ? guests : [name]))];
}

function RuledOut({ answer: { layers, lowest } }: { answer: MachineLayers }) {
  const calm = layers.filter(
    ({ layer, cells }) => layer !== lowest?.layer && cells.length > 0 && cells.every(({ standing }) => standing === 'calm'),
  );
  const own = new Set(
    layers.find(({ layer }) => layer === lowest?.layer)?.cells.find(({ name }) => name === lowest?.name)?.columns ?? [],
  );
  const elsewhere = layers[0].cells.filter(({ columns }) => !own.has(columns[0]));
  const well = elsewhere.filter(({ standing }) => standing === 'calm').length;
  return (
    <section>
      <h3>Ruled out</h3>
      <ul className={styles.pairs}>
        {calm.map(({ layer, cells }) => (
          <li key={layer}>
            <StateGlyph state="calm" word="" />
            <span>{layer === 'container' ? 'pod limits' : `${LAYER_WORDS[layer][0]} ${LAYER_WORDS[layer][1]}`}</span>
            <span className="dim">{cells.length} within their usual range</span>
          </li>
        ))}
        {lowest && elsewhere.length > 0 && (
          <li>
            <StateGlyph
              state={elsewhere.some(({ role }) => role === 'ill') ? 'strained' : well > 0 ? 'calm' : 'unknown'}
              word=""
            />
            <span>the same elsewhere</span>
            <span className="dim">
              {well} usual, {elsewhere.filter(({ standing }) => standing === 'unknown').length} with too few requests
            </span>
          </li>
        )}
        {calm.length === 0 && !lowest && <li className="dim">nothing that could be</li>}
      </ul>
    </section>
  );
}

type Cell = MachineLayers['layers'][number]['cells'][number];

function changeOf({ readings: [reading] }: Cell): string {
  if (!reading) return '–';
  const now = readingText(reading.rule, reading.value);
  return reading.usual ? `${readingText(reading.rule, reading.usual.median)} → ${now}` : now;
}

function rangeOf(cells: readonly Cell[]): string {
  const [{ rule }] = cells[0].readings;
  const values = cells.flatMap(({ readings: [it] }) => (it.value === null ? [] : [it.value])).sort((a, b) => a - b);
  const [low, high] = [readingText(rule, values[0]), readingText(rule, values.at(-1) ?? null)];
  return low === high ? low : `${low} to ${high}`;
}
