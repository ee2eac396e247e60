import { z } from 'zod';
import { readSetting, writeSetting } from './settings.ts';

const NAME = 'line measures';

/** A number in lines that is a measure of the services that write it. */
export const lineMeasureSchema = z.strictObject({
  name: z
    .string()
    .trim()
    .regex(/^[A-Za-z][\w.-]{1,79}$/, 'A name of letters, digits, dots, - and _ is expected, beginning with a letter.'),
  unit: z
    .string()
    .regex(/^[\w%/{}.]{0,20}$/, 'A unit such as ms, By or % is expected.')
    .default('')
    .meta({ description: 'UCUM code, such as ms or By; empty for a number without one.' }),
  shape: z
    .string()
    .regex(/^[0-9a-f]{16}$/)
    .meta({ description: 'The id of the message shape.' }),
  hole: z.int().min(0).max(100).meta({ description: 'Which of the places where it varies, from 0.' }),
});
export type LineMeasure = z.output<typeof lineMeasureSchema>;

export const MOST_LINE_MEASURES = 50;

/** The numbers in lines that somebody made measures. */
export async function lineMeasures(): Promise<LineMeasure[]> {
  const parsed = z.array(lineMeasureSchema).safeParse(await readSetting(NAME));
  return parsed.success ? parsed.data : [];
}

export async function writeLineMeasures(measures: readonly LineMeasure[]): Promise<void> {
  await writeSetting(NAME, measures);
}
