// React components that wait: they have rendered, and are not mounted.
import { expect, test } from '@jest/globals';
import { act, Suspense, use } from 'react';
import { createRoot } from 'react-dom/client';
import { RuntimeProvider, useSelection } from 'floe/react';
import { runs } from '../support/runs.js';
import { count, nameOf, newRuntime, planned, ran, renamed, visits } from './board.js';

Object.assign(globalThis, { IS_REACT_ACT_ENVIRONMENT: true });

/** Does something, and lets React do what follows from it. */
const later = (fn: () => void): Promise<void> =>
  act(() => {
    fn();
    return Promise.resolve();
  });

function opened(promise: Promise<string>, boards = 1) {
  const runtime = newRuntime();
  const renders = { count: 0 };
  const Board = ({ at }: { at: number }) => {
    renders.count++;
    const [all, name] = [useSelection(count), useSelection((read) => read(nameOf(at % 3)))];
    // Fresh each time.
    const [first] = useSelection((read) => [...read(visits).names]);
    const arrived = use(promise);
    return <p>{`${all} ${name === first ? name : ''} ${arrived}`}</p>;
  };
  const element = document.createElement('div');
  const root = createRoot(element);
  const board = (
    <RuntimeProvider runtime={runtime}>
      <Suspense fallback="asking">
        {Array.from({ length: boards }, (_, at) => (
          <Board key={at} at={at} />
        ))}
      </Suspense>
    </RuntimeProvider>
  );
  return { runtime, renders, element, root, show: () => later(() => root.render(board)) };
}

test('a component that waited shows what is there when it is mounted, and follows it', async () => {
  let arrive: (text: string) => void = () => undefined;
  const { runtime, renders, element, root, show } = opened(new Promise((resolve) => (arrive = resolve)));
  await show();
  expect(element.textContent).toBe('asking');
  runtime.dispatch(planned('Auk'));
  runtime.dispatch(renamed({ at: 0, name: 'Ern 2' }));
  await later(() => arrive('by letter'));
  expect(renders.count).toBeLessThan(10);
  expect(element.textContent).toBe('4 Ern 2 by letter');
  await later(() => void runtime.dispatch(planned('Tern')));
  expect(element.textContent).toBe('5 Ern 2 by letter');
  await later(() => root.unmount());
});

test('components that go while they wait follow nothing', async () => {
  const { runtime, root, show } = opened(new Promise(() => undefined), runs(50));
  await show();
  await later(() => root.unmount());
  // What rendered only is held for a moment: it may still be mounted.
  await new Promise((resolve) => setTimeout(resolve, 20));
  runtime.dispatch(planned('Auk'));
  const before = ran.count;
  for (let i = 0; i < 20; i++) runtime.dispatch(planned(`Auk ${i}`));
  expect(ran.count).toBe(before);
});
