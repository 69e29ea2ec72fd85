import { createRuntime } from 'floe';
import { recording } from 'floe/trace';
import { provideRuntime } from 'floe/vue';
import { createApp } from 'vue';
import App from './App.vue';
import { stores } from './model';
import './tides.css';

const runtime = createRuntime({ stores, trace: import.meta.env.DEV ? recording() : undefined });

const app = createApp(App);
provideRuntime(runtime, app);
app.mount('#root');

if (import.meta.env.DEV)
  void import('floe/inspector').then(({ showInspector }) => showInspector(runtime, { folded: true }));
