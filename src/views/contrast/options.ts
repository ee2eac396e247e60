import type { How } from '../../api/contrast/question.ts';
import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** What is contrasted and what is peeled off; all of it stands in the address. */
export interface ContrastOptions {
  readonly how: How;
  /** From how many nanoseconds on a request is slow; '' for the one that is found. */
  readonly over: string;
  /** Conditions of A and B, as texts. */
  readonly a: string;
  readonly b: string;
  readonly aFrom: string;
  readonly aTo: string;
  readonly outcome: 'auto' | 'duration' | 'failures';
  readonly swap: 'yes' | 'no';
  /** Sets that are peeled off, in order, by their keys. */
  readonly peel: readonly string[];
  /** Other stacks that are kept beside it. */
  readonly kept: readonly (readonly string[])[];
}

export const USUAL: ContrastOptions = {
  how: 'before',
  over: '',
  a: '',
  b: '',
  aFrom: '',
  aTo: '',
  outcome: 'auto',
  swap: 'no',
  peel: [],
  kept: [],
};

/** What of the address belongs to the page. */
const PARAMETERS = Object.keys(USUAL) as readonly (keyof ContrastOptions)[];

/** Reads the options from an address; what cannot be understood is as usual. */
export function readOptions(parameters: URLSearchParams): ContrastOptions {
  const text = (name: string) => parameters.get(name) ?? '';
  return {
    how: oneOf(text('how'), ['before', 'slow', 'failed', 'sets']),
    over: Number(text('over')) > 0 ? text('over') : '',
    a: text('a'),
    b: text('b'),
    aFrom: text('aFrom'),
    aTo: text('aTo'),
    outcome: oneOf(text('outcome'), ['auto', 'duration', 'failures']),
    swap: oneOf(text('swap'), ['no', 'yes']),
    peel: textsOf(parsed(text('peel'))),
    kept: listOf(parsed(text('kept'))).map(textsOf),
  };
}

function oneOf<const T extends string>(value: string, choices: readonly T[]): T {
  return choices.find((it) => it === value) ?? choices[0];
}

function parsed(text: string): unknown {
  try {
    return text === '' ? [] : JSON.parse(text);
  } catch {
    return [];
  }
}

function listOf(value: unknown): unknown[] {
  return Array.isArray(value) ? value : [];
}

function textsOf(value: unknown): string[] {
  return listOf(value).filter((it): it is string => typeof it === 'string');
}

/** The options as an address carries them; what is as usual is left out. */
export function writeOptions(options: ContrastOptions): Partial<Record<keyof ContrastOptions, string>> {
  const written: Partial<Record<keyof ContrastOptions, string>> = {};
  for (const name of PARAMETERS) {
    const value = options[name];
    if (typeof value !== 'string') {
      if (value.length > 0) written[name] = JSON.stringify(value);
    } else if (value !== USUAL[name]) written[name] = value;
  }
  return written;
}

/** How the options stand in the address. */
export const ADDRESSED: AddressedOptions<ContrastOptions> = { names: PARAMETERS, read: readOptions, write: writeOptions };

/** What the interface for programs is asked with. */
export function contrastQuery(options: ContrastOptions): Record<string, string> {
  const { peel, kept, ...rest } = options;
  const query: Record<string, string> = {};
  for (const [name, value] of Object.entries(rest)) if (value !== '') query[name] = value;
  if (peel.length > 0) query.peeled = JSON.stringify(peel);
  if (kept.length > 0) query.kept = JSON.stringify(kept);
  return query;
}
