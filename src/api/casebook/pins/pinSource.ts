import type { z } from 'zod';
import type { Evidence } from '../../../core/casebook/evidence/evidence.ts';
import type { Endpoint } from '../../endpoint.ts';

/** Which part of an answer is pinned: names of rows and the like, as the page has them. */
export type PinPart = Readonly<Record<string, string>>;

/** What an answer becomes when it is pinned. */
export interface Frozen {
  /** The caption. */
  readonly title: string;
  readonly evidence: readonly Evidence[];
  /** What it is about, as `kind:name`. */
  readonly about: readonly string[];
}

/** What a kind of pin is made from: a question that the page asked, and what becomes of its answer. */
export interface PinSource {
  readonly endpoint: Endpoint;
  readonly freeze: (answer: unknown, part: PinPart, query: Readonly<Record<string, string>>) => Frozen;
}

export function pinSource<Query extends z.ZodObject, Answer extends z.ZodType>(
  endpoint: Endpoint<Query, Answer>,
  freeze: (answer: z.output<Answer>, part: PinPart, query: Readonly<Record<string, string>>) => Frozen,
): PinSource {
  return { endpoint: endpoint as unknown as Endpoint, freeze: freeze as PinSource['freeze'] };
}

/** Something that the page names is not in the answer. */
export class NothingToPin extends Error {}

/** @throws NothingToPin for undefined */
export function found<Of>(it: Of | undefined | null, what: string): Of {
  if (it === undefined || it === null)
    throw new NothingToPin(`${what} is not in this window any more. Light the time when it was.`);
  return it;
}

/** Names of what a pin is about, each once. */
export function about(kind: string, names: Iterable<string>, most = 12): string[] {
  return [...new Set(names)]
    .filter((name) => name !== '')
    .slice(0, most)
    .map((name) => `${kind}:${name.slice(0, 200)}`);
}

/** The first of a list, and how many there are beyond. */
export function firstOf<Of>(all: readonly Of[], most: number): { readonly shown: readonly Of[]; readonly leftOut: number } {
  return { shown: all.slice(0, most), leftOut: Math.max(0, all.length - most) };
}

/** Values over time made fewer, so that a picture has no more steps than it is wide: the largest of each stretch. */
export function fewerSteps(
  values: readonly (number | null)[],
  most = 240,
): { readonly values: (number | null)[]; readonly each: number } {
  const each = Math.max(1, Math.ceil(values.length / most));
  return {
    each,
    values: Array.from({ length: Math.ceil(values.length / each) }, (_, at) => {
      const known = values.slice(at * each, (at + 1) * each).filter((it): it is number => it !== null && Number.isFinite(it));
      return known.length === 0 ? null : Math.max(...known);
    }),
  };
}
