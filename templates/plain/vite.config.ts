import { defineConfig } from 'vite';

export default defineConfig({});
