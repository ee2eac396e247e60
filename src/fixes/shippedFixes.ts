import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';

/*
 * Alternatives to functions that lie in the folder which DUSK_FIXES names, a folder each with a file `fixes.json`. Nothing else is ever run by
 * the application.
 */

const manifest = z.object({
  /** The finding that they are for, as it names itself. */
  subject: z.string().min(1),
  note: z.string().default(''),
  inputs: z.string().regex(/^[\w.-]+$/),
  /** The original first. */
  files: z.array(z.string().regex(/^[\w.-]+$/)).min(2),
});

export interface ShippedFixes {
  readonly subject: string;
  readonly note: string;
  readonly inputs: string;
  readonly files: readonly string[];
}

/** The alternatives that there are for a finding; undefined for none. */
export function shippedFixes(subject: string): ShippedFixes | undefined {
  const folder = process.env.DUSK_FIXES ?? '';
  if (folder === '' || !existsSync(folder)) return undefined;
  for (const name of readdirSync(folder).sort()) {
    const file = join(folder, name, 'fixes.json');
    if (!existsSync(file)) continue;
    const read = manifest.safeParse(JSON.parse(readFileSync(file, 'utf8')));
    if (!read.success || read.data.subject !== subject) continue;
    const own = (it: string) => join(folder, name, it);
    return { ...read.data, inputs: own(read.data.inputs), files: read.data.files.map(own) };
  }
  return undefined;
}
