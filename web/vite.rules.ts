import { defineConfig } from 'vite';

// The rules alone, for the test that compares them with the core's.
export default defineConfig({
  build: {
    target: 'es2023',
    lib: { entry: 'src/rules/index.ts', formats: ['iife'], name: 'rules', fileName: 'rules' },
  },
});
