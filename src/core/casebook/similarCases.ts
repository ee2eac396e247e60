import type { CaseContent } from './caseContent.ts';

/** What of a case is compared: names of what its pins are about, and words of its title and causes. */
export interface CaseTraits {
  readonly id: number;
  /** Services, operations, hosts, shapes, statements, pages: as `kind:name`. */
  readonly about: readonly string[];
  readonly words: readonly string[];
}

export interface SimilarCase {
  readonly id: number;
  /** From 0 to 1: the shared part of what distinguishes both. */
  readonly likeness: number;
  /** What they share, the most telling first: names as `kind:name`, words as they are. */
  readonly shared: readonly string[];
}

/** Words that say nothing of a cause. */
const COMMON = new Set(
  'the a an and or of in on at to for from by with without it its is are was were be been no not did does do so that this these those than then when while which who what where why how after before over under all each more most less slow slower fast fails failed failing request requests got worse since until has have had may can could will would one two three into out up down off as but if'.split(
    ' ',
  ),
);
const SHORTEST = 3;
/** Less is chance. */
const LEAST = 0.12;
const MOST_SHARED = 4;
/** A word counts less than a name: people word things in many ways. */
const WORD_WEIGHT = 0.5;

/** Words of a case that tell its cause: of the title and of what holds, else of what is still open. */
export function causeWords({ title, hypotheses }: Pick<CaseContent, 'title' | 'hypotheses'>): string[] {
  const held = hypotheses.filter(({ standing }) => standing === 'holds');
  const told = held.length > 0 ? held : hypotheses.filter(({ standing }) => standing === 'open');
  const text = [title, ...told.map((it) => it.text)].join(' ').toLowerCase();
  return [...new Set(text.match(/[\p{L}\d][\p{L}\d.-]+/gu) ?? [])].filter((it) => it.length >= SHORTEST && !COMMON.has(it));
}

/**
 * Other cases that share what distinguishes this one, the most alike first. What many cases have weighs little (its inverse document
 * frequency), so that the one entry service that every case touches makes no two alike.
 */
export function similarCases(of: CaseTraits, others: readonly CaseTraits[]): SimilarCase[] {
  const all = [of, ...others.filter(({ id }) => id !== of.id)];
  const seen = new Map<string, number>();
  for (const it of all) for (const trait of traitsOf(it)) seen.set(trait, (seen.get(trait) ?? 0) + 1);
  const weight = (trait: string) =>
    (trait.startsWith('word:') ? WORD_WEIGHT : 1) * Math.log(1 + all.length / (seen.get(trait) ?? 1));
  const sum = (traits: Iterable<string>) => [...traits].reduce((total, it) => total + weight(it), 0);
  const own = traitsOf(of);
  return all
    .slice(1)
    .map((it) => {
      const traits = traitsOf(it);
      const shared = [...own].filter((trait) => traits.has(trait)).sort((a, b) => weight(b) - weight(a));
      const union = sum(new Set([...own, ...traits]));
      return {
        id: it.id,
        likeness: union === 0 ? 0 : sum(shared) / union,
        shared: shared.slice(0, MOST_SHARED).map((trait) => trait.replace(/^word:/, '')),
      };
    })
    .filter(({ likeness }) => likeness >= LEAST)
    .sort((a, b) => b.likeness - a.likeness);
}

function traitsOf({ about, words }: CaseTraits): Set<string> {
  return new Set([...about, ...words.map((it) => `word:${it}`)]);
}
