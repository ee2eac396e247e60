import type { CSSProperties } from 'react';
import type { MachineLayers } from '../../api/machines/layers.ts';
import { RULES } from '../../core/machines/rules.ts';
import { LAYER_WORDS, readingText, ruleWords } from '../../core/machines/words.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import styles from './Strata.module.css';
import { placesOf, vesselTop } from './strataShape.ts';

type Layer = MachineLayers['layers'][number];
type Cell = Layer['cells'][number];

interface StrataProps {
  readonly answer: MachineLayers;
  /** The machine that is shown below. */
  readonly machine: string;
  readonly choose: (machine: string) => void;
}

/** Cells narrower than this, as a part of the width, have no room for words. */
const ROOM = 0.055;
/** With more columns only those that are ill have their names above. */
const MOST_NAMES = 44;
const ROLE_WORDS = {
  starts: 'it starts here',
  stands: 'suffers from what it stands on',
  calls: 'suffers by calling one that does',
  ill: 'ill by itself',
  calm: 'within its usual range',
  unknown: 'not enough data',
} as const;

/** A cross-section: instances beside each other, standing on what they run on; vessels are filled against the top of the usual range. */
export function Strata({ answer, machine, choose }: StrataProps) {
  const { columns, layers, lowest } = answer;
  const start = lowest && layers.find(({ layer }) => layer === lowest.layer)?.cells.find(({ name }) => name === lowest.name);
  const wide = new Set(start?.columns ?? []);
  const places = placesOf(columns.length, wide);
  const spanOf = (of: readonly number[]): CSSProperties => {
    const first = Math.min(...of);
    const last = Math.max(...of);
    const left = places.left[first];
    return { left: `${100 * left}%`, width: `calc(${100 * (places.left[last] + places.width[last] - left)}% - 2px)` };
  };
  const illColumns = new Set(layers[0].cells.filter(({ standing }) => standing === 'ill').flatMap((it) => it.columns));
  const shown = layers.filter(({ layer, cells }) => cells.length > 0 || layer === 'service');
  const depth = start ? shown.findIndex(({ layer }) => layer === lowest.layer) : -1;
  return (
    <div className={styles.strata}>
      <p className={styles.legend}>
        <span>
          <i data-is="usual" /> top of the usual range
        </span>
        <span>
          <i data-is="starts" /> starts here
        </span>
        <span>
          <i data-is="stands" /> suffers from what it stands on
        </span>
        <span>
          <i data-is="calls" /> suffers by calling one that does
        </span>
      </p>
      <div className={styles.names} aria-hidden="true">
        <div className={styles.track}>
          {columns.map(({ service, instance }, at) =>
            columns.length <= MOST_NAMES || illColumns.has(at) || wide.has(at) ? (
              <span
                key={`${service} ${instance}`}
                data-ill={illColumns.has(at)}
                data-wide={wide.has(at)}
                style={{ left: `${100 * (places.left[at] + places.width[at] / 2)}%` }}
              >
                {instance || service}
              </span>
            ) : null,
          )}
        </div>
      </div>
      <div className={styles.layers}>
        {start && (
          <div className={styles.beams} aria-hidden="true">
            <div className={styles.track}>
              <i
                className={styles.beam}
                style={{ ...spanOf(start.columns), height: `${(100 * (depth + 0.5)) / shown.length}%` }}
              />
            </div>
          </div>
        )}
        {shown.map(({ layer, cells }) => {
          const ill = cells.filter(({ standing }) => standing === 'ill').length;
          return (
            <section key={layer} className={styles.layer} aria-label={LAYER_WORDS[layer][0]}>
              <header>
                <StateGlyph
                  state={
                    layer === lowest?.layer
                      ? 'failing'
                      : ill > 0
                        ? 'strained'
                        : cells.every((it) => it.standing === 'unknown')
                          ? 'unknown'
                          : 'calm'
                  }
                  word={ill > 0 ? `${ill} ill` : 'none ill'}
                />
                <b data-lowest={layer === lowest?.layer}>{LAYER_WORDS[layer][0]}</b>
                <small>{LAYER_WORDS[layer][1]}</small>
              </header>
              <div className={styles.track}>
                {cells.map((cell) => (
                  <Vessel
                    key={`${cell.name} ${cell.columns[0]}`}
                    cell={cell}
                    style={spanOf(cell.columns)}
                    hasRoom={cell.columns.reduce((sum, at) => sum + places.width[at], 0) >= ROOM}
                    isWide={cell.columns.reduce((sum, at) => sum + places.width[at], 0) >= 4 * ROOM}
                    machine={machineUnder(layer, cell, answer)}
                    isShown={machineUnder(layer, cell, answer) === machine && ['vm', 'host'].includes(layer)}
                    choose={choose}
                    named={layer !== 'service' && layer !== 'process' && layer !== 'container'}
                  />
                ))}
              </div>
            </section>
          );
        })}
      </div>
      {answer.instances > columns.length && (
        <p className="dim">{answer.instances - columns.length} more instances, all within their usual range, are not drawn.</p>
      )}
    </div>
  );
}

function machineUnder(layer: Layer['layer'], { name, columns }: Cell, answer: MachineLayers): string {
  if (layer === 'vm' || layer === 'host' || layer === 'disk' || layer === 'network') return name;
  const { vm, host } = answer.columns[columns[0]];
  return vm || host;
}

interface VesselProps {
  readonly cell: Cell;
  readonly style: CSSProperties;
  readonly hasRoom: boolean;
  readonly isWide: boolean;
  readonly machine: string;
  readonly isShown: boolean;
  readonly named: boolean;
  readonly choose: (machine: string) => void;
}

function Vessel({ cell, style, hasRoom, isWide, machine, isShown, named, choose }: VesselProps) {
  const [reading] = cell.readings;
  const isShare = RULES.find(({ id }) => id === reading?.rule)?.unit === 'share';
  const top = vesselTop(reading?.value ?? null, reading?.usual?.high ?? null, isShare);
  const text = reading ? readingText(reading.rule, reading.value) : '–';
  const was = reading?.usual ? readingText(reading.rule, reading.usual.median) : undefined;
  const isTold = cell.role !== 'calm' && cell.role !== 'unknown';
  const words = `${cell.name}: ${text} ${reading ? ruleWords(reading.rule) : ''}${was === undefined ? '' : `, usually ${was}`}; ${ROLE_WORDS[cell.role]}`;
  return (
    <button
      type="button"
      className={styles.vessel}
      data-role={cell.role}
      data-shown={isShown}
      style={style}
      title={words}
      onClick={() => choose(machine)}
    >
      <span className="unseen">{words}</span>
      {reading?.value !== undefined && reading.value !== null && (
        <i className={styles.fill} style={{ height: `${Math.min(100, (100 * reading.value) / top)}%` }} />
      )}
      {reading?.usual && <i className={styles.usual} style={{ bottom: `${Math.min(98, (100 * reading.usual.high) / top)}%` }} />}
      {named && isWide ? (
        <span className={styles.words} aria-hidden="true">
          <b>
            {cell.name}
            {cell.role === 'starts' && ': it starts here'}
          </b>
          <span>
            {isTold && was !== undefined && `${was} → `}
            {text} {reading ? ruleWords(reading.rule) : ''}
          </span>
        </span>
      ) : (
        hasRoom && (
          <span className={styles.figure} aria-hidden="true">
            {isTold ? text : named ? shortest(cell.name) : ''}
          </span>
        )
      )}
    </button>
  );
}

/** The end of a name, where there is no room for all of it. */
function shortest(name: string): string {
  return name.split(/[-.]/).at(-1) ?? name;
}
