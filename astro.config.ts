import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { brotliCompressSync, gzipSync } from 'node:zlib';
import node from '@astrojs/node';
import react from '@astrojs/react';
import type { AstroIntegration } from 'astro';
import { defineConfig } from 'astro/config';
import { build } from 'vite';
import { buildSnippet } from './collectors/browser/build.ts';

/** In few files some thousand small modules are loaded in a fraction of the time. What loads files of its own stays as it is. */
const BUNDLED = {
  noExternal: true as const,
  external: ['better-auth', '@libpg-query/parser', 'elkjs', 'pg', 'piscina', 'workerpool', 'yjs'],
};

/** Beside the pages: the process that serves them, and the module that its workers run. Neither has anything to translate at run time. */
const processes: AstroIntegration = {
  name: 'processes',
  hooks: {
    'astro:build:done': async () => {
      await build({
        configFile: false,
        logLevel: 'error',
        ssr: BUNDLED,
        esbuild: { minifyIdentifiers: false, minifySyntax: false, minifyWhitespace: true, legalComments: 'none' },
        build: {
          ssr: true,
          outDir: 'dist/processes',
          target: 'node20',
          // Spaces and comments alone: names stand in stacks as they are.
          minify: 'esbuild',
          copyPublicDir: false,
          rollupOptions: {
            input: [
              'src/server/application.ts',
              'src/intake/process/intakeProcess.ts',
              'src/intake/process/acceptWorker.ts',
              'src/api/analysisWorker.ts',
              'src/server/drawing/drawPages.ts',
            ],
          },
        },
      });
    },
  },
};

/** The scripts by which islands start stand in the pages themselves. By their hashes the pages allow them, and no others. */
async function inlineScripts(): Promise<AstroIntegration> {
  const runtime = new URL('./node_modules/astro/dist/runtime/', import.meta.url);
  const texts = await Promise.all(
    ['client/load.prebuilt.js', 'server/astro-island.prebuilt.js'].map(
      async (file) => ((await import(new URL(file, runtime).href)) as { default: string }).default,
    ),
  );
  const hashes = texts.map((text) => `sha256-${createHash('sha256').update(text).digest('base64')}`);
  return {
    name: 'inline-scripts',
    hooks: { 'astro:build:done': () => writeFileSync('dist/server/inline-scripts.json', JSON.stringify(hashes)) },
  };
}

/** The snippet that pages of others include. */
const snippet: AstroIntegration = {
  name: 'snippet',
  hooks: { 'astro:build:done': ({ dir }) => buildSnippet(join(fileURLToPath(dir), 'visits.js')) },
};

/** Files of the pages beside themselves as they are sent: compressed once, as small as it goes. */
const precompressed: AstroIntegration = {
  name: 'precompressed',
  hooks: {
    'astro:build:done': ({ dir }) => {
      const folder = fileURLToPath(dir);
      for (const name of readdirSync(folder, { recursive: true, encoding: 'utf8' })) {
        if (!/\.(js|css|svg|json|txt)$/.test(name)) continue;
        const bytes = readFileSync(join(folder, name));
        if (bytes.length < 1024) continue;
        writeFileSync(join(folder, `${name}.br`), brotliCompressSync(bytes));
        writeFileSync(join(folder, `${name}.gz`), gzipSync(bytes, { level: 9 }));
      }
    },
  },
};

export default defineConfig({
  output: 'server',
  adapter: node({ mode: 'middleware' }),
  integrations: [react(), processes, await inlineScripts(), snippet, precompressed],
  // Senders post from anywhere and carry no Origin; every door that takes a body asks for a content type that a form cannot send.
  security: { checkOrigin: false },
  devToolbar: { enabled: false },
  vite: { ssr: BUNDLED },
});
