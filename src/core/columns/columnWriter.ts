import { type Column, type Segment, segmentOf } from './segment.ts';

/** Texts by the order in which they were met first. */
class Dictionary {
  readonly texts: string[] = [];
  readonly #indices = new Map<string, number>();

  indexOf(text: string): number {
    let index = this.#indices.get(text);
    if (index === undefined) {
      index = this.texts.push(text) - 1;
      this.#indices.set(text, index);
    }
    return index;
  }
}

/** One column while rows are added to it. Rows that are passed over have no value. */
type Draft =
  | { readonly type: 'numbers'; readonly values: number[] }
  | { readonly type: 'codes'; readonly values: number[]; readonly texts: Dictionary }
  | { readonly type: 'lists'; readonly ends: number[]; readonly items: number[]; readonly texts: Dictionary }
  | { readonly type: 'numberLists'; readonly ends: number[]; readonly values: number[] }
  | { readonly type: 'bytes'; readonly width: number; readonly values: number[] };

/** Writes the columns of a segment row by row: set the values of a row, then call `endRow`. */
export class ColumnWriter {
  readonly #drafts = new Map<string, Draft>();
  #rows = 0;

  get rows(): number {
    return this.#rows;
  }

  has(name: string): boolean {
    return this.#drafts.has(name);
  }

  get columnCount(): number {
    return this.#drafts.size;
  }

  number(name: string, value: number): void {
    const draft = this.#draft(name, 'numbers', () => ({ type: 'numbers', values: [] }));
    while (draft.values.length < this.#rows) draft.values.push(Number.NaN);
    draft.values[this.#rows] = value;
  }

  /** A whole number without a dictionary. */
  code(name: string, value: number): void {
    const draft = this.#codes(name);
    draft.values[this.#rows] = value;
  }

  text(name: string, value: string): void {
    const draft = this.#codes(name);
    draft.values[this.#rows] = draft.texts.indexOf(value) + 1;
  }

  /** Adds a text to the list of the row. */
  addText(name: string, value: string): void {
    const draft = this.#lists(name);
    draft.items.push(draft.texts.indexOf(value));
  }

  /** Adds a whole number to the list of the row. */
  addCode(name: string, value: number): void {
    this.#lists(name).items.push(value);
  }

  /** Adds a number to the list of the row. */
  addNumber(name: string, value: number): void {
    const draft = this.#draft(name, 'numberLists', () => ({ type: 'numberLists', ends: [], values: [] }));
    while (draft.ends.length < this.#rows) draft.ends.push(draft.values.length);
    draft.values.push(value);
  }

  bytes(name: string, value: Uint8Array): void {
    const draft = this.#draft(name, 'bytes', () => ({ type: 'bytes', width: value.length, values: [] }));
    while (draft.values.length < this.#rows * draft.width) draft.values.push(0);
    for (const byte of value) draft.values.push(byte);
  }

  endRow(): void {
    this.#rows++;
  }

  /** The rows so far as a segment. */
  finish(): Segment {
    return segmentOf(this.#rows, new Map([...this.#drafts].map(([name, draft]) => [name, this.#finished(draft)])));
  }

  #finished(draft: Draft): Column {
    switch (draft.type) {
      case 'numbers': {
        const values = new Float64Array(this.#rows).fill(Number.NaN);
        values.set(draft.values);
        return { type: 'numbers', values };
      }
      case 'codes': {
        const values = new Uint32Array(this.#rows);
        values.set(draft.values);
        return { type: 'codes', values, texts: draft.texts.texts };
      }
      case 'lists':
        return {
          type: 'lists',
          offsets: this.#offsets(draft.ends, draft.items.length),
          items: Uint32Array.from(draft.items),
          texts: draft.texts.texts,
        };
      case 'numberLists':
        return {
          type: 'numberLists',
          offsets: this.#offsets(draft.ends, draft.values.length),
          values: Float64Array.from(draft.values),
        };
      case 'bytes': {
        const values = new Uint8Array(this.#rows * draft.width);
        values.set(draft.values);
        return { type: 'bytes', width: draft.width, values };
      }
    }
  }

  #offsets(ends: readonly number[], length: number): Uint32Array {
    const offsets = new Uint32Array(this.#rows + 1).fill(length);
    offsets[0] = 0;
    for (const [row, end] of ends.entries()) offsets[row + 1] = end;
    return offsets;
  }

  #codes(name: string) {
    const draft = this.#draft(name, 'codes', () => ({ type: 'codes', values: [], texts: new Dictionary() }));
    while (draft.values.length < this.#rows) draft.values.push(0);
    return draft;
  }

  #lists(name: string) {
    const draft = this.#draft(name, 'lists', () => ({ type: 'lists', ends: [], items: [], texts: new Dictionary() }));
    while (draft.ends.length < this.#rows) draft.ends.push(draft.items.length);
    return draft;
  }

  #draft<Type extends Draft['type']>(name: string, type: Type, make: () => Draft): Draft & { type: Type } {
    let draft = this.#drafts.get(name);
    if (!draft) {
      draft = make();
      this.#drafts.set(name, draft);
    }
    if (draft.type !== type) throw new Error(`column ${name} holds ${draft.type}, not ${type}`);
    return draft as Draft & { type: Type };
  }
}
