import { codesOf, listsOf, numbersOf, type Segment } from '../../core/columns/segment.ts';
import { SERVICE, SHAPE, TIME, VALUES } from '../../core/logs/logColumns.ts';
import { columnOf } from '../../core/logs/matchLines.ts';
import { ownId } from '../../core/logs/shapeCounts.ts';
import type { CommonFacts, Fact } from '../../core/logs/stitch/common.ts';
import { Groups } from '../../core/logs/stitch/groups.ts';
import { isReference, KeySearch, type Source, type StitchKey } from '../../core/logs/stitch/keys.ts';
import { type WordAround, wordsAround } from '../../core/logs/template.ts';
import { attributeKeyOf } from '../../core/requests/requestColumns.ts';
import { eachLine, type FoundLines, type LineScope, type LineWork } from './logLines.ts';
import type { StoredShapes } from './shapes.ts';

/** Lines that are looked at for keys: the latest, all of some stretches, so that what belongs together is there together. */
const KEY_SAMPLE = 60_000;

/** Keys by which the lines of a scope can be stitched, the best first. */
export async function stitchKeys(scope: LineScope, work: LineWork = {}): Promise<StitchKey[]> {
  const search = new KeySearch();
  let shapes!: StoredShapes;
  let lines = 0;
  await eachLine(
    scope,
    (found) => {
      addKeys(search, found, shapes);
      lines += found.rows.length;
      return lines < KEY_SAMPLE;
    },
    { ...work, onShapes: (it) => (shapes = it) },
  );
  return search.found();
}

function addKeys(search: KeySearch, { segment, rows }: FoundLines, shapes: StoredShapes): void {
  const shape = codesOf(segment, SHAPE);
  const counted = shape.texts.map((id) => shapes.counts.countedAs(id));
  const service = codesOf(segment, SERVICE);
  const values = listsOf(segment, VALUES);
  const around = shape.texts.map((id) => wordsOf(id, shapes));
  const sources = around.map((words): (Source | undefined)[] => new Array(words.length));
  // Most values are met again and again: each is looked at once.
  const isKey = values.texts.map(isReference);
  const attributes = segment.names.flatMap((name) => {
    const attribute = attributeKeyOf(name);
    const column = codesOf(segment, name);
    const isOfKey = attribute === undefined ? [] : column.texts.map(isReference);
    const source = attribute !== undefined && isOfKey.includes(true) ? search.sourceOf({ attribute }) : undefined;
    return source ? [{ source, column, isOfKey }] : [];
  });
  for (const row of rows) {
    const of = shape.values[row] - 1;
    const writer = service.texts[service.values[row] - 1];
    for (let at = values.offsets[row]; at < values.offsets[row + 1]; at++) {
      const hole = at - values.offsets[row];
      const own = values.texts[values.items[at]];
      // A thing is named by a whole word, as an attribute would have it.
      const value = wordAt(around[of][hole], own);
      if (!(value === own ? isKey[values.items[at]] : isReference(value))) continue;
      sources[of][hole] ??= search.sourceOf({ shape: ownId(shape.texts[of]), hole });
      const source = sources[of][hole];
      if (source) search.add(source, value, writer, counted[of]);
    }
    for (const { source, column, isOfKey } of attributes) {
      const code = column.values[row];
      if (code > 0 && isOfKey[code - 1]) search.add(source, column.texts[code - 1], writer, counted[of]);
    }
  }
}

function wordsOf(id: string, { counts }: StoredShapes): readonly WordAround[] {
  const own = counts.own(id);
  return own ? wordsAround(own) : [];
}

function wordAt(around: WordAround | undefined, value: string): string {
  return around && (around.before !== '' || around.after !== '') ? around.before + value + around.after : value;
}

/** Values and lines that are held, at most, about 100 bytes a line; the first that are met. */
const MOST = { groups: 200_000, lines: 2_000_000 };

/** By row of a segment the value of a key; undefined where it has none. */
function keyReader(segment: Segment, key: StitchKey, shapes: StoredShapes): (row: number) => string | undefined {
  const shape = codesOf(segment, SHAPE);
  const values = listsOf(segment, VALUES);
  const columns = key.sources.flatMap((it) => ('attribute' in it ? codesOf(segment, columnOf(it.attribute)) : []));
  const holes = shape.texts.map((id) => key.sources.flatMap((it) => ('shape' in it && it.shape === ownId(id) ? it.hole : []))[0]);
  const around = shape.texts.map((id) => wordsOf(id, shapes));
  return (row) => {
    for (const { values: codes, texts } of columns) if (codes[row] > 0) return texts[codes[row] - 1];
    const hole = holes[shape.values[row] - 1];
    if (hole !== undefined && values.offsets[row] + hole < values.offsets[row + 1])
      return wordAt(around[shape.values[row] - 1][hole], values.texts[values.items[values.offsets[row] + hole]]);
    return undefined;
  };
}

/** What a step is: the message shape, or the value of a field. */
export type StepBy = 'shape' | { readonly field: string };

function stepReader(segment: Segment, by: StepBy, shapes: StoredShapes): (row: number) => string | undefined {
  const { values, texts } = codesOf(segment, by === 'shape' ? SHAPE : columnOf(by.field));
  const names = by === 'shape' ? texts.map((id) => shapes.counts.countedAs(id)) : texts;
  return (row) => (values[row] > 0 ? names[values[row] - 1] : undefined);
}

/** The lines of a scope by the values of a key. */
export async function groupLines(
  scope: LineScope,
  key: StitchKey,
  by: StepBy,
  work: LineWork = {},
): Promise<{ groups: Groups; services: Map<string, string> }> {
  const groups = new Groups(MOST);
  /** Who writes a step: the one that is met first. */
  const services = new Map<string, string>();
  let shapes!: StoredShapes;
  await eachLine(
    scope,
    ({ segment, from, rows }) => {
      const keyOf = keyReader(segment, key, shapes);
      const stepOf = stepReader(segment, by, shapes);
      const times = numbersOf(segment, TIME);
      const service = codesOf(segment, SERVICE);
      const base = Number(from / 1_000_000n);
      for (const row of rows) {
        const value = keyOf(row);
        const step = value === undefined ? undefined : stepOf(row);
        if (step === undefined) continue;
        if (!services.has(step)) services.set(step, service.texts[service.values[row] - 1]);
        groups.add(value!, step, base + times[row] / 1e6);
      }
      return undefined;
    },
    { ...work, onShapes: (it) => (shapes = it) },
  );
  return { groups, services };
}

/** Attributes that name one thing each say nothing about a group. */
const MOST_TEXTS = 200;

/** Adds what can be said of chosen groups and of others. @param isChosen by the value of the key; undefined for groups that are not looked at */
export async function addFacts(
  into: CommonFacts,
  scope: LineScope,
  key: StitchKey,
  isChosen: ReadonlyMap<string, boolean>,
  work: LineWork = {},
): Promise<void> {
  const facts = new Map<string, Map<string, Fact>>();
  let shapes!: StoredShapes;
  await eachLine(
    scope,
    ({ segment, rows }) => {
      const keyOf = keyReader(segment, key, shapes);
      const shapeOf = stepReader(segment, 'shape', shapes);
      const columns = segment.names.flatMap((name) => {
        const attribute = attributeKeyOf(name);
        const column = codesOf(segment, name);
        return attribute !== undefined && column.texts.length <= MOST_TEXTS ? [{ attribute, column }] : [];
      });
      for (const row of rows) {
        const value = keyOf(row);
        if (value === undefined || !isChosen.has(value)) continue;
        let own = facts.get(value);
        if (!own) {
          own = new Map();
          facts.set(value, own);
        }
        const shape = shapeOf(row);
        if (shape !== undefined) own.set(`s ${shape}`, { kind: 'shape', name: '', value: shape });
        for (const { attribute, column } of columns) {
          const code = column.values[row];
          if (code > 0)
            own.set(`a ${attribute} ${code} ${column.texts[code - 1]}`, {
              kind: 'attribute',
              name: attribute,
              value: column.texts[code - 1],
            });
        }
      }
      return undefined;
    },
    { ...work, onShapes: (it) => (shapes = it) },
  );
  for (const [value, own] of facts) {
    const unique = new Map([...own.values()].map((fact) => [`${fact.kind} ${fact.name} ${fact.value}`, fact]));
    into.add(unique.values(), isChosen.get(value)!);
  }
}
