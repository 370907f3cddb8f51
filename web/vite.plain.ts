import { defineConfig } from 'vite';

// The plain functions alone, for tests.
export default defineConfig({
  build: {
    target: 'es2023',
    lib: { entry: 'src/plain.ts', formats: ['iife'], name: 'plain', fileName: 'plain' },
  },
});
