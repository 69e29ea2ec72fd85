import { floe } from 'floe/vite';
import { defineConfig } from 'vite';

export default defineConfig({ plugins: [floe()], server: { host: '127.0.0.1' } });
