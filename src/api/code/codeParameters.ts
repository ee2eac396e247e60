import { z } from 'zod';

/** Which profiles are meant. Empty: of all. */
export const codeParameters = {
  service: z.string().max(200).default('').meta({ description: 'The service; the one whose cost grew most by default.' }),
  type: z.string().max(100).default('cpu nanoseconds').meta({ description: 'What was measured, and its unit.' }),
  version: z.string().max(200).default(''),
  against: z.string().max(200).default('').meta({
    description: 'A version to hold against, of the lit window; the window before when it is left out.',
  }),
  instance: z.string().max(200).default(''),
  operation: z.string().max(500).default(''),
};

/** What one side weighs: in the unit of the profile, in samples, and how many requests were served meanwhile (0 when not known). */
export const sideAnswer = z.object({ value: z.number(), count: z.number(), requests: z.number() });

export function sidesOf({ total, count }: { total: number; count: number }, requests: number): z.output<typeof sideAnswer> {
  return { value: total, count, requests };
}
