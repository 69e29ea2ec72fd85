import react from '@vitejs/plugin-react';
import { floe } from 'floe/vite';
import { defineConfig } from 'vite';

export default defineConfig({ plugins: [react(), floe()] });
