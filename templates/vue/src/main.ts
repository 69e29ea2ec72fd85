import { createApp } from 'vue';
import { provideRuntime } from 'floe/vue';
import Board from './Board.vue';
import './board.css';
import { runtime } from './runtime';

const app = createApp(Board);
provideRuntime(runtime, app);
app.mount('#root');
