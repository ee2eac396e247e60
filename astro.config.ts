import node from '@astrojs/node';
import react from '@astrojs/react';
import { defineConfig } from 'astro/config';

export default defineConfig({
  output: 'server',
  adapter: node({ mode: 'standalone' }),
  integrations: [react()],
  // Senders post from anywhere and carry no Origin; every door that takes a body asks for a content type that a form cannot send.
  security: { checkOrigin: false },
  devToolbar: { enabled: false },
  vite: { ssr: { noExternal: [/^@mantine\//] } },
});
