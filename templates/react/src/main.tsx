import { createRoot } from 'react-dom/client';
import { RuntimeProvider } from 'floe/react';
import { Board } from './Board.js';
import './board.css';
import { runtime } from './runtime.js';

createRoot(document.getElementById('root')!).render(
  <RuntimeProvider runtime={runtime}>
    <Board />
  </RuntimeProvider>,
);
