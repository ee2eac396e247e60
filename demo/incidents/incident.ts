import type { Layer } from '../../src/core/machines/rules.ts';
import type { Process } from '../simulation/simulation.ts';
import type { Unfolding } from './unfolding.ts';

/** What is true of an incident; written beside the data, never sent in. */
export interface Truth {
  readonly id: string;
  readonly cause: string;
  /** The part of the company where it is. */
  readonly place: string;
  /** Where the second of two causes is, when it takes both: whoever names that first is right, too. */
  readonly also?: string;
  readonly mechanism: string;
  readonly symptoms: readonly string[];
  readonly decoys: readonly string[];
  /** Of what is ill below the services: the layer, its name there, and what takes most more of it when something does. */
  readonly machine?: { readonly layer: Layer; readonly name: string; readonly taker?: string };
  /** The entry operations at gangway that it harms. */
  readonly affected: readonly string[];
}

/** Something that goes wrong in a stretch of the data, and how it comes about. */
export interface Incident extends Truth {
  /** Minutes before the end of the data. */
  readonly begins: number;
  /** Minutes before the end of the data; null when it is still going on. */
  readonly ends: number | null;
  readonly unfold: (it: Unfolding) => Process;
}
