import vue from '@vitejs/plugin-vue';
import { floe } from 'floe/vite';
import { defineConfig } from 'vite';

export default defineConfig({ plugins: [vue(), floe()], server: { host: '127.0.0.1' } });
