import { readMoment } from '../../ui/state/addressedTexts.ts';
import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** What of the layers is looked at; all of it stands in the address. */
export interface LayersOptions {
  /** A service whose instances alone are meant; empty for all. */
  readonly layersOf: string;
  /** A named journey, of whose services alone the instances are meant; empty for all. */
  readonly journey: string;
  /** The moment, epoch milliseconds; undefined for the worst. */
  readonly at: number | undefined;
  /** The host or virtual machine that is shown below; empty for the one where the trouble starts. */
  readonly machine: string;
}

export const LAYERS_OPTIONS: AddressedOptions<LayersOptions> = {
  names: ['layersOf', 'journey', 'at', 'machine'],
  read: (parameters) => ({
    layersOf: parameters.get('layersOf') ?? '',
    journey: parameters.get('journey') ?? '',
    at: readMoment(parameters.get('at')),
    machine: parameters.get('machine') ?? '',
  }),
  write: ({ layersOf, journey, at, machine }) => ({
    layersOf: layersOf || undefined,
    journey: journey || undefined,
    at: at === undefined ? undefined : String(at),
    machine: machine || undefined,
  }),
};
