import { mkdirSync, renameSync, rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const here = dirname(fileURLToPath(import.meta.url));
const FILES = ['agent.mjs', 'probe.mjs'];

/** Builds the probe and the thread that it works in, each as one file without dependencies. */
export async function build() {
  const { build: bundle } = await import('esbuild');
  // Beside its place first: two programs that start at once do not see half of a file.
  const outdir = join(here, 'dist', `new-${process.pid}`);
  mkdirSync(outdir, { recursive: true });
  await bundle({
    entryPoints: [join(here, 'probe.ts'), join(here, 'agent.ts')],
    outdir,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    logLevel: 'error',
    sourcemap: false,
  });
  for (const file of FILES) renameSync(join(outdir, file), join(here, 'dist', file));
  rmSync(outdir, { recursive: true, force: true });
}

if (process.argv[1] === fileURLToPath(import.meta.url)) await build();
