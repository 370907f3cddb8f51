import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

// Everything is built into files of our own: nothing is fetched from elsewhere when it runs.
export default defineConfig({
  plugins: [react()],
  build: { target: 'es2023', assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
});
