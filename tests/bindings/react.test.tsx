import { expect, test } from '@jest/globals';
import { act, cleanup, render, screen } from '@testing-library/react';
import { createRuntime, selector, store, type Run, task } from 'floe';
import { RuntimeProvider, useAction, useSelection, useTask } from 'floe/react';
import { recording } from 'floe/trace';
import { StrictMode, type ReactNode } from 'react';

const visits = store('visits', { list: [{ id: 'v1', phase: 'expected' }], picked: null as string | null });
const picked = visits.action('picked', (draft, id: string) => {
  draft.picked = id;
});
const departed = visits.action('departed', (draft, id: string) => {
  draft.list.find((visit) => visit.id === id)!.phase = 'departed';
});
const byId = visits.selector('byId', (state, id: string) => state.list.find((visit) => visit.id === id));
const pickedVisit = selector('pickedVisit', (read) => read(byId(read(visits).picked ?? '')));

const mount = (node: ReactNode) => {
  cleanup();
  const runtime = createRuntime({ stores: [visits], trace: recording() });
  render(
    <StrictMode>
      <RuntimeProvider runtime={runtime}>{node}</RuntimeProvider>
    </StrictMode>,
  );
  return runtime;
};

test('components show what they select, render only for that, and follow the trace', () => {
  const renders = { phase: 0, inline: 0 };
  function Phase({ id }: { id: string }) {
    renders.phase++;
    return <p>phase {useSelection(byId(id))?.phase}</p>;
  }
  function Inline({ prefix }: { prefix: string }) {
    renders.inline++;
    return <p>{useSelection((read) => `${prefix} ${read(pickedVisit)?.id ?? 'nothing'}`)}</p>;
  }
  function Pick() {
    const pick = useAction(picked);
    return <button onClick={() => pick('v1')}>pick</button>;
  }
  const runtime = mount(
    <>
      <Phase id="v1" />
      <Inline prefix="picked" />
      <Pick />
    </>,
  );
  expect(screen.getByText('picked nothing')).toBeTruthy();
  const before = { ...renders };
  act(() => screen.getByRole('button').click());
  expect(screen.getByText('picked v1')).toBeTruthy();
  expect(renders.phase).toBe(before.phase);
  act(() => void runtime.dispatch(departed('v1')));
  expect(screen.getByText('phase departed')).toBeTruthy();
  act(() => runtime.trace.back());
  expect(screen.getByText('phase expected')).toBeTruthy();
  act(() => runtime.trace.back());
  expect(screen.getByText('picked nothing')).toBeTruthy();
});

test('a component runs a task, shows where it is, and cancels it', async () => {
  let answer: (phase: string) => void = () => undefined;
  const depart = task(visits, 'depart', async ({ dispatch }, id: string) => {
    const phase = await new Promise<string>((resolve) => (answer = resolve));
    if (phase === 'departed') dispatch(departed(id));
    return phase;
  });
  const runs: Run<string>[] = [];
  function Depart() {
    const run = useTask(depart);
    const { phase } = useSelection(depart.statusOf('v1'));
    return <button onClick={() => runs.push(run('v1'))}>{phase}</button>;
  }
  const runtime = mount(<Depart />);
  const button = screen.getByRole('button');
  expect(button.textContent).toBe('idle');
  act(() => button.click());
  expect(button.textContent).toBe('running');
  await act(async () => {
    answer('departed');
    await runs[0];
  });
  expect(button.textContent).toBe('done');
  expect(runtime.read(byId('v1'))?.phase).toBe('departed');
  act(() => button.click());
  act(() => runs[1].cancel());
  expect(button.textContent).toBe('cancelled');
  act(() => runtime.trace.back());
  expect(button.textContent).toBe('running');
});

test('an inline selection uses the newest props, and many renderings leave nothing behind', () => {
  function Inline({ id }: { id: string }) {
    return <p>{useSelection((read) => `${id}: ${read(byId(id))?.phase ?? 'unknown'}`)}</p>;
  }
  const runtime = createRuntime({ stores: [visits] });
  const view = (id: string) => (
    <RuntimeProvider runtime={runtime}>
      <Inline id={id} />
    </RuntimeProvider>
  );
  const { rerender } = render(view('v1'));
  expect(screen.getByText('v1: expected')).toBeTruthy();
  for (let i = 0; i < 300; i++) rerender(view(`x${i}`));
  expect(screen.getByText('x299: unknown')).toBeTruthy();
});
