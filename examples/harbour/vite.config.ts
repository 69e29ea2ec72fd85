import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  build: { outDir: 'dist/page', emptyOutDir: true, chunkSizeWarningLimit: 1000 },
  // `npm run dev -w harbour` beside `npm run demo`: the office answers there.
  server: { host: '127.0.0.1', proxy: { '/office': 'http://127.0.0.1:4310' } },
});
