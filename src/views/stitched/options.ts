import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** What is looked at of stitched lines; all of it stands in the address. */
export interface StitchOptions {
  /** The key's name; '' for the best. */
  readonly key: string;
  /** 'shape', or a field whose value is the step. */
  readonly step: string;
  /** Which deviation is asked about; '' for the most frequent. */
  readonly chosen: string;
  /** The group that is opened; '' for none. */
  readonly group: string;
}

export const ADDRESSED: AddressedOptions<StitchOptions> = {
  names: ['key', 'step', 'chosen', 'group'],
  read: (parameters) => ({
    key: parameters.get('key') ?? '',
    step: parameters.get('step') ?? 'shape',
    chosen: parameters.get('chosen') ?? '',
    group: parameters.get('group') ?? '',
  }),
  write: ({ key, step, chosen, group }) => ({
    key: key || undefined,
    step: step === 'shape' ? undefined : step,
    chosen: chosen || undefined,
    group: group || undefined,
  }),
};

/** What the server is asked for. */
export function stitchQuery({ key, step, chosen }: StitchOptions): Record<string, string> {
  return { ...(key && { key }), ...(step !== 'shape' && { step }), ...(chosen && { chosen }) };
}
