import { parseAllDocuments } from 'yaml';
import { z } from 'zod';

/*
 * Scripted checks as people write them: YAML, a document a check. Either steps through a page, or one address that is asked.
 */

/** Milliseconds of "500ms", "20s", "5m". */
const duration = z
  .string()
  .regex(/^\d+(\.\d+)?(ms|s|m|h)$/, 'write it as 500ms, 20s, 5m or 1h')
  .transform((text) => {
    const [, amount, unit] = /^([\d.]+)(ms|s|m|h)$/.exec(text)!;
    return Number(amount) * { ms: 1, s: 1_000, m: 60_000, h: 3_600_000 }[unit as 'ms' | 's' | 'm' | 'h'];
  });
const url = z.url({ protocol: /^https?$/, error: 'an address with http:// or https:// is expected' });
const what = z.string().min(1).max(200);

const step = z.union(
  [
    z.strictObject({ open: url }),
    z.strictObject({ press: what }),
    z.strictObject({ type: z.string().max(500), into: what }),
    z.strictObject({ choose: what, from: what }),
    z.strictObject({ see: what }),
    z.strictObject({ 'do not see': what }),
    z.strictObject({ wait: duration }),
  ],
  'a step is one of open, press, type … into, choose … from, see, do not see, wait',
);

const common = {
  check: what,
  every: duration.default(300_000),
  within: duration.default(30_000),
};
const journey = z.strictObject({ ...common, steps: z.array(step).min(1).max(60) });
const address = z.strictObject({
  ...common,
  address: url,
  method: z.enum(['GET', 'HEAD', 'POST']).default('GET'),
  expect: z.int().min(100).max(599).default(200),
  see: what.optional(),
});

export type JourneyCheck = z.output<typeof journey>;
export type AddressCheck = z.output<typeof address>;
export type Check = JourneyCheck | AddressCheck;
export type JourneyStep = JourneyCheck['steps'][number];

const LEAST_EVERY_MS = 10_000;

/** The checks of a file. @throws Error that says which check is wrong, and how */
export function readChecks(text: string, name: string): Check[] {
  return parseAllDocuments(text).flatMap((document, at) => {
    if (document.errors.length > 0) throw new Error(`${name}: ${document.errors[0].message}`);
    const value: unknown = document.toJS();
    if (value === null) return [];
    const isAddress = typeof value === 'object' && 'address' in value;
    const parsed = (isAddress ? address : journey).safeParse(value);
    if (!parsed.success) {
      const [issue] = parsed.error.issues;
      throw new Error(`${name}, check ${at + 1}: ${issue.path.join('.') || 'it'}: ${issue.message}`);
    }
    if (parsed.data.every < LEAST_EVERY_MS) throw new Error(`${name}, check ${at + 1}: every: at least 10s`);
    return [parsed.data as Check];
  });
}

/** A step in words, as it is listed. What is typed is not told. */
export function stepName(it: JourneyStep): string {
  if ('open' in it) return `open ${new URL(it.open).pathname}`;
  if ('press' in it) return `press ${it.press}`;
  if ('type' in it) return `type into ${it.into}`;
  if ('choose' in it) return `choose ${it.choose}`;
  if ('see' in it) return `see ${it.see}`;
  if ('do not see' in it) return `do not see ${it['do not see']}`;
  return 'wait';
}
