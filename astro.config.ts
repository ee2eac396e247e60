import node from '@astrojs/node';
import react from '@astrojs/react';
import type { AstroIntegration } from 'astro';
import { defineConfig } from 'astro/config';
import { build } from 'vite';

/** Beside the pages: the module that workers of intake run, which no page imports. */
const workers: AstroIntegration = {
  name: 'workers',
  hooks: {
    'astro:build:done': async () => {
      await build({
        configFile: false,
        logLevel: 'error',
        build: { ssr: 'src/intake/acceptWorker.ts', outDir: 'dist/workers', target: 'node20', copyPublicDir: false },
      });
    },
  },
};

export default defineConfig({
  output: 'server',
  adapter: node({ mode: 'standalone' }),
  integrations: [react(), workers],
  // Senders post from anywhere and carry no Origin; every door that takes a body asks for a content type that a form cannot send.
  security: { checkOrigin: false },
  devToolbar: { enabled: false },
  vite: { ssr: { noExternal: [/^@mantine\//] } },
});
