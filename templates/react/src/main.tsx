import { createRoot } from 'react-dom/client';
import { RuntimeProvider } from 'floe/react';
import { Board } from './Board';
import './board.css';
import { runtime } from './runtime';

createRoot(document.getElementById('root')!).render(
  <RuntimeProvider runtime={runtime}>
    <Board />
  </RuntimeProvider>,
);
