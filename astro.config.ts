import node from '@astrojs/node';
import react from '@astrojs/react';
import type { AstroIntegration } from 'astro';
import { defineConfig } from 'astro/config';
import { build } from 'vite';

/** Beside the pages: the process that serves them, and the module that its workers run. Neither has anything to translate at run time. */
const processes: AstroIntegration = {
  name: 'processes',
  hooks: {
    'astro:build:done': async () => {
      await build({
        configFile: false,
        logLevel: 'error',
        build: {
          ssr: true,
          outDir: 'dist/processes',
          target: 'node20',
          copyPublicDir: false,
          rollupOptions: { input: ['src/server/application.ts', 'src/intake/acceptWorker.ts'] },
        },
      });
    },
  },
};

export default defineConfig({
  output: 'server',
  adapter: node({ mode: 'middleware' }),
  integrations: [react(), processes],
  // Senders post from anywhere and carry no Origin; every door that takes a body asks for a content type that a form cannot send.
  security: { checkOrigin: false },
  devToolbar: { enabled: false },
  vite: { ssr: { noExternal: [/^@mantine\//] } },
});
