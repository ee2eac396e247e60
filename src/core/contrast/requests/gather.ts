import type { Codes } from '../../columns/segment.ts';
import type { ContrastBlock, ContrastSource, FacetColumn, Label } from './contrastSource.ts';
import { facetKey } from './requestSet.ts';

/** Requests in one block: where the values of each begin takes two bytes, as a rule. */
const MOST_IN_BLOCK = 50_000;

/** Whole numbers, one after the other: in as few bytes as the largest needs, and twice as much room when it is full. */
class GrowingCodes {
  #values: Codes = new Uint8Array(1024);
  #most = 2 ** 8 - 1;
  length = 0;

  push(value: number): void {
    if (value > this.#most) this.#widen(value);
    if (this.length === this.#values.length) {
      const larger = newLike(this.#values, 2 * this.length);
      larger.set(this.#values);
      this.#values = larger;
    }
    this.#values[this.length++] = value;
  }

  #widen(value: number): void {
    const isShort = value < 2 ** 16;
    this.#most = 2 ** (isShort ? 16 : 32) - 1;
    const wider = isShort ? new Uint16Array(this.#values.length) : new Uint32Array(this.#values.length);
    wider.set(this.#values);
    this.#values = wider;
  }

  /** All of them. What was more room than needed is given back. */
  finish(): Codes {
    const values = this.#values.slice(0, this.length);
    this.#values = new Uint8Array(0);
    return values;
  }
}

function newLike(values: Codes, length: number): Codes {
  if (values instanceof Uint8Array) return new Uint8Array(length);
  return values instanceof Uint16Array ? new Uint16Array(length) : new Uint32Array(length);
}

/** One facet while requests are added: those that are passed over have no value. */
interface Draft {
  readonly labels: Label[];
  readonly indexOf: Map<string, number>;
  readonly items: GrowingCodes;
  /** Where the items of each request begin, as far as requests have been added; and after the last where they end. */
  readonly offsets: GrowingCodes;
}

/**
 * The same requests in a few blocks that are in memory, with a dictionary a facet: for few requests of many blocks, which else would be read each
 * time that they are gone through. Memory: about 3 bytes a value.
 *
 * @param breathe lets others have their turn, between two blocks
 */
export async function gathered(source: ContrastSource, breathe?: () => Promise<unknown>): Promise<ContrastSource> {
  const whole: ContrastBlock[] = [];
  let gathering = new Gathering();
  const finish = () => {
    whole.push(gathering.finish());
    gathering = new Gathering();
  };
  await source.scan((block) => {
    gathering.add(block);
    if (gathering.count >= MOST_IN_BLOCK) finish();
  });
  if (gathering.count > 0 || whole.length === 0) finish();
  return {
    scan: async (visit) => {
      for (const block of whole) {
        visit(block);
        await breathe?.();
      }
    },
  };
}

/** Blocks that become one. */
class Gathering {
  count = 0;
  readonly #blocks: ContrastBlock[] = [];
  readonly #drafts = new Map<string, Draft>();
  readonly #users: string[] = [];

  add(block: ContrastBlock): void {
    for (const column of block.columns) addColumn(this.#drafts, column, block, this.count);
    for (let at = 0; at < block.count; at++) this.#users.push(block.user(at));
    // Only what has one value a request is kept of the block.
    this.#blocks.push({ ...block, columns: [], rows: new Uint32Array(0), user: () => '' });
    this.count += block.count;
  }

  finish(): ContrastBlock {
    const columns = [...this.#drafts.values()].map((draft) => columnOf(draft, this.count));
    return joined(this.#blocks, this.count, this.#users, columns);
  }
}

function addColumn(
  drafts: Map<string, Draft>,
  { offsets, items, labels }: FacetColumn,
  { count, rows }: ContrastBlock,
  before: number,
): void {
  // Of each text of the block's dictionary: the facet, and the index among the texts of that facet; looked up when it is met.
  const draftOf: (Draft | undefined)[] = new Array(labels.length);
  const indexOf = new Uint32Array(labels.length);
  for (let at = 0; at < count; at++)
    for (let item = offsets[rows[at]]; item < offsets[rows[at] + 1]; item++) {
      const label = items[item];
      let draft = draftOf[label];
      if (!draft) {
        draft = draftFor(drafts, labels[label]);
        draftOf[label] = draft;
        indexOf[label] = indexIn(draft, labels[label]);
      }
      while (draft.offsets.length <= before + at) draft.offsets.push(draft.items.length);
      draft.items.push(indexOf[label]);
    }
}

function draftFor(drafts: Map<string, Draft>, { facet }: Label): Draft {
  const key = facetKey(facet);
  let draft = drafts.get(key);
  if (!draft) {
    draft = { labels: [], indexOf: new Map(), items: new GrowingCodes(), offsets: new GrowingCodes() };
    drafts.set(key, draft);
  }
  return draft;
}

function indexIn({ labels, indexOf }: Draft, label: Label): number {
  let index = indexOf.get(label.value);
  if (index === undefined) {
    index = labels.push(label) - 1;
    indexOf.set(label.value, index);
  }
  return index;
}

function columnOf({ labels, items, offsets }: Draft, count: number): FacetColumn {
  while (offsets.length <= count) offsets.push(items.length);
  return { offsets: offsets.finish(), items: items.finish(), labels, keys: new Set([facetKey(labels[0].facet)]) };
}

function joined(
  blocks: readonly ContrastBlock[],
  count: number,
  users: readonly string[],
  columns: FacetColumn[],
): ContrastBlock {
  const entries = [...new Set(blocks.flatMap((block) => block.entries))];
  const entryIndex = new Map(entries.map((name, index) => [name, index]));
  const all = {
    isA: new Uint8Array(count),
    outcome: new Float64Array(count),
    weight: new Float64Array(count),
    group: new Uint8Array(count),
    minute: new Int32Array(count),
    entry: new Uint32Array(count),
    ids: new Uint8Array(16 * count),
  };
  let from = 0;
  for (const block of blocks) {
    const index = block.entries.map((name) => entryIndex.get(name)!);
    all.isA.set(block.isA.subarray(0, block.count), from);
    all.outcome.set(block.outcome.subarray(0, block.count), from);
    all.weight.set(block.weight.subarray(0, block.count), from);
    all.group.set(block.group.subarray(0, block.count), from);
    all.minute.set(block.minute.subarray(0, block.count), from);
    all.ids.set(block.ids.subarray(0, 16 * block.count), 16 * from);
    for (let at = 0; at < block.count; at++) all.entry[from + at] = index[block.entry[at]];
    from += block.count;
  }
  const rows = Uint32Array.from({ length: count }, (_, at) => at);
  return { count, rows, ...all, entries, columns, user: (at) => users[at] };
}
