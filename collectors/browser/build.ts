import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const here = fileURLToPath(new URL('.', import.meta.url));

/** Builds the snippet as one file, as pages include it. @param file where to */
export async function buildSnippet(file: string): Promise<void> {
  await build({
    entryPoints: [join(here, 'snippet.ts')],
    outfile: file,
    bundle: true,
    minify: true,
    platform: 'browser',
    format: 'iife',
    target: ['es2020'],
    logLevel: 'error',
    sourcemap: false,
  });
}
