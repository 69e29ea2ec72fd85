import { floe } from 'floe/vite';
import { defineConfig } from 'vite';

export default defineConfig({ plugins: [floe()] });
