import { fisherTail } from '../../contrast/statistics/tails.ts';
import { boundOfFindings } from '../../verdict/benjaminiHochberg.ts';

/** Something that can be said of a group: a shape that one of its lines has, or an attribute of one. */
export interface Fact {
  readonly kind: 'shape' | 'attribute';
  readonly name: string;
  readonly value: string;
}

/** A fact that holds for more of the chosen groups than of the others. */
export interface CommonFact extends Fact {
  readonly chosen: number;
  readonly others: number;
}

const LEVEL = 0.01;
/** Of the chosen, and so much more than of the others. */
const LEAST_SHARE = 0.3;
const MORE = 0.2;

/** Counts of facts among chosen groups and others. */
export class CommonFacts {
  readonly #facts = new Map<string, { readonly fact: Fact; chosen: number; others: number }>();
  readonly #chosen: number;
  readonly #others: number;

  /** @param chosen how many groups were chosen @param others how many of the others are looked at */
  constructor(chosen: number, others: number) {
    this.#chosen = chosen;
    this.#others = others;
  }

  /** Adds the facts of one group, each once. */
  add(facts: Iterable<Fact>, isChosen: boolean): void {
    for (const fact of facts) {
      const key = `${fact.kind} ${fact.name} ${fact.value}`;
      let counts = this.#facts.get(key);
      if (!counts) {
        counts = { fact, chosen: 0, others: 0 };
        this.#facts.set(key, counts);
      }
      if (isChosen) counts.chosen++;
      else counts.others++;
    }
  }

  /** What holds for more of the chosen: by Fisher's exact test, at most 1 of 100 that are named is none; the clearest first. */
  found(): CommonFact[] {
    const all = [...this.#facts.values()].map((it) => ({
      ...it,
      chance: fisherTail(it.chosen, this.#chosen, it.chosen + it.others, this.#chosen + this.#others),
    }));
    const bound = boundOfFindings(
      all.map(({ chance }) => chance),
      LEVEL,
    );
    const share = (it: { chosen: number; others: number }) => ({
      chosen: it.chosen / Math.max(1, this.#chosen),
      others: it.others / Math.max(1, this.#others),
    });
    return all
      .filter((it) => it.chance <= bound && share(it).chosen >= LEAST_SHARE && share(it).chosen - share(it).others >= MORE)
      .sort((a, b) => share(b).chosen - share(b).others - (share(a).chosen - share(a).others) || a.chance - b.chance)
      .map(({ fact, chosen, others }) => ({ ...fact, chosen, others }));
  }
}
