import babel from '@rolldown/plugin-babel';
import react, { reactCompilerPreset } from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  // Compiled, a component is drawn anew only where what it shows changed: a dragged value reaches the screen sooner.
  plugins: [react(), babel({ presets: [reactCompilerPreset()] })],
  build: { chunkSizeWarningLimit: 1500 },
  // For work on the page itself: `npm run dev` beside a running `./yard demo`.
  server: { proxy: { '/api': 'http://127.0.0.1:8620' } },
});
