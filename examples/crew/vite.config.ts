import angular from '@analogjs/vite-plugin-angular';
import { floe } from 'floe/vite';
import { defineConfig } from 'vite';

export default defineConfig({
  resolve: { mainFields: ['module'], dedupe: ['@angular/core'] },
  build: { target: 'es2022' },
  plugins: [angular({ liveReload: true }), floe()],
  server: { host: '127.0.0.1' },
});
