import { svelte } from '@sveltejs/vite-plugin-svelte';
import { floe } from 'floe/vite';
import { defineConfig } from 'vite';

export default defineConfig({ plugins: [svelte(), floe()], server: { host: '127.0.0.1' } });
