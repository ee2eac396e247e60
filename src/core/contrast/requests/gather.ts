import type { ContrastBlock, ContrastSource, FacetColumn, Label } from './contrastSource.ts';
import { facetKey } from './requestSet.ts';

/** Whole numbers, one after the other; twice as much room when it is full. */
class Numbers {
  #values = new Uint32Array(1024);
  length = 0;

  push(value: number): void {
    if (this.length === this.#values.length) {
      const larger = new Uint32Array(2 * this.length);
      larger.set(this.#values);
      this.#values = larger;
    }
    this.#values[this.length++] = value;
  }

  finish(): Uint32Array {
    return this.#values.slice(0, this.length);
  }
}

/** One facet while requests are added: those that are passed over have no value. */
interface Draft {
  readonly labels: Label[];
  readonly indexOf: Map<string, number>;
  readonly items: Numbers;
  /** Where the items of each request end, as far as requests have been added. */
  readonly ends: Numbers;
}

/**
 * The same requests in one block that is in memory, with a dictionary a facet: for few requests of many blocks, which else would be read each time
 * that they are gone through. Memory: about 8 bytes a value.
 */
export async function gathered(source: ContrastSource): Promise<ContrastSource> {
  const blocks: ContrastBlock[] = [];
  const drafts = new Map<string, Draft>();
  const users: string[] = [];
  let before = 0;
  await source.scan((block) => {
    for (const column of block.columns) addColumn(drafts, column, block, before);
    for (let at = 0; at < block.count; at++) users.push(block.user(at));
    // Only what has one value a request is kept of the block.
    blocks.push({ ...block, columns: [], rows: new Uint32Array(0), user: () => '' });
    before += block.count;
  });
  const block = joined(
    blocks,
    before,
    users,
    [...drafts.values()].map((draft) => columnOf(draft, before)),
  );
  return { scan: async (visit) => visit(block) };
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
      while (draft.ends.length < before + at) draft.ends.push(draft.items.length);
      draft.items.push(indexOf[label]);
    }
}

function draftFor(drafts: Map<string, Draft>, { facet }: Label): Draft {
  const key = facetKey(facet);
  let draft = drafts.get(key);
  if (!draft) {
    draft = { labels: [], indexOf: new Map(), items: new Numbers(), ends: new Numbers() };
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

function columnOf({ labels, items, ends }: Draft, count: number): FacetColumn {
  while (ends.length < count) ends.push(items.length);
  const offsets = new Uint32Array(count + 1);
  offsets.set(ends.finish(), 1);
  return { offsets, items: items.finish(), labels, keys: new Set([facetKey(labels[0].facet)]) };
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
