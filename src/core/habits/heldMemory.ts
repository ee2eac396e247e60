import { isOwnFrame } from '../profile/ownFrame.ts';
import type { ProfileRows } from '../profile/profileColumns.ts';
import { type Frame, frameOfKey, functionKey } from '../profile/stackSample.ts';
import type { FactsOf } from './matchStack.ts';

/** Memory that a function allocated and that is held more and more. */
export interface HeldMemory {
  readonly service: string;
  readonly version: string;
  readonly place: Frame;
  readonly by: 'syntax' | 'text' | 'names';
  /** Bytes held at the first and at the last look. */
  readonly first: number;
  readonly last: number;
  /** Of all that is held at the last look, 0 to 1. */
  readonly share: number;
  readonly looks: number;
}

/** What makes growth a leak: so many looks, nearly each with more than the one before, and so much more in the end. */
const FEWEST_LOOKS = 5;
const RISING = 0.8;
const LEAST_BYTES = 2 * 2 ** 20;
const LEAST_FACTOR = 1.5;

interface Series {
  readonly service: string;
  readonly version: string;
  readonly places: Map<string, { readonly frame: Frame; readonly held: Map<number, number> }>;
  readonly totals: Map<number, number>;
}

/** Follows what is held on the heaps of processes, look by look. */
export class HeldMemories {
  readonly #series = new Map<string, Series>();

  /** @param slotMs when the segment begins, epoch milliseconds @param from, to which rows are meant, milliseconds of the segment */
  add(service: string, rows: ProfileRows, slotMs: number, from: number, to: number): void {
    const { times, types, stacks, versions, instances, values } = rows;
    const wanted = types.texts.indexOf('inuse_space bytes') + 1;
    if (wanted === 0) return;
    for (let row = 0; row < rows.rows; row++) {
      if (types.values[row] !== wanted || times[row] < from || times[row] >= to) continue;
      const version = versions.texts[versions.values[row] - 1] ?? '';
      const instance = instances.texts[instances.values[row] - 1] ?? '';
      const key = `${service}\0${version}\0${instance}`;
      const series = this.#series.get(key) ?? { service, version, places: new Map(), totals: new Map() };
      this.#series.set(key, series);
      const at = slotMs + times[row];
      series.totals.set(at, (series.totals.get(at) ?? 0) + values[row]);
      const text = stacks.texts[stacks.values[row] - 1] ?? '';
      const frame = (text === '' ? [] : text.split(' ')).map((of) => frameOfKey(rows.frames[Number(of)])).find(isOwnFrame);
      if (!frame) continue;
      const place = series.places.get(functionKey(frame)) ?? { frame, held: new Map<number, number>() };
      series.places.set(functionKey(frame), place);
      place.held.set(at, (place.held.get(at) ?? 0) + values[row]);
    }
  }

  /** Functions whose memory is held more and more, those that grew most first. */
  growing(factsOf: (service: string, version: string) => FactsOf): HeldMemory[] {
    const found: HeldMemory[] = [];
    for (const { service, version, places, totals } of this.#series.values()) {
      const looks = [...totals.keys()].sort((a, b) => a - b);
      if (looks.length < FEWEST_LOOKS) continue;
      for (const { frame, held } of places.values()) {
        const values = looks.map((at) => held.get(at) ?? 0);
        const [first, last] = [values[0], values[values.length - 1]];
        const rising = values.filter((value, at) => at > 0 && value >= values[at - 1]).length / (values.length - 1);
        if (rising < RISING || last - first < LEAST_BYTES || last < LEAST_FACTOR * first) continue;
        const { place, by } = lineOf(frame, factsOf(service, version));
        const share = last / (totals.get(looks[looks.length - 1]) || last);
        found.push({ service, version, place, by, first, last, share, looks: looks.length });
      }
    }
    return merged(found).sort((a, b) => b.last - b.first - (a.last - a.first));
  }
}

/** Processes of one version that keep the same thing are one finding. */
function merged(found: readonly HeldMemory[]): HeldMemory[] {
  const sums = new Map<string, HeldMemory>();
  for (const it of found) {
    const key = `${it.service}\0${it.version}\0${functionKey(it.place)}`;
    const known = sums.get(key);
    if (!known) sums.set(key, it);
    else
      sums.set(key, {
        ...known,
        first: known.first + it.first,
        last: known.last + it.last,
        share: Math.max(known.share, it.share),
        looks: Math.max(known.looks, it.looks),
      });
  }
  return [...sums.values()];
}

/** Heaps tell where a function begins: the line in it that puts things into something is the one that is meant. */
function lineOf(frame: Frame, factsOf: FactsOf): { place: Frame; by: HeldMemory['by'] } {
  const known = factsOf(frame);
  if (!known) return { place: frame, by: 'names' };
  if (known.facts.start !== frame.line) return { place: frame, by: known.by };
  const keeping = [...known.file]
    .filter(([, facts]) => facts.start === frame.line && facts.marks.has('keep'))
    .sort(([, a], [, b]) => b.loops.length - a.loops.length)[0];
  return { place: keeping ? { ...frame, line: keeping[0] } : frame, by: known.by };
}
