// What the user does, noted beside the steps; and the titles that a model declares.
import { expect, test } from '@jest/globals';
import { copyOf, action, createRuntime, store, task } from 'floe';
import { readTrace, recording, type RecordingOptions } from 'floe/trace';
import { handClock } from 'floe/testing';

function open(options: RecordingOptions = {}) {
  const names = store('names', { v1: 'Corran Bell' } as Record<string, string>);
  const visits = store('visits', { berth: 'W2', count: 0 });
  const titled: string[] = [];
  const assigned = visits.action(
    'assigned',
    (draft, { id, berth }: { id: string; berth: string }) => {
      draft.berth = `${id} ${berth}`;
    },
    {
      about: {
        title: ({ id, berth }, before) => {
          titled.push(id);
          return `gave ${before(names)[id]} berth ${berth}, after ${before(visits).berth}`;
        },
      },
    },
  );
  const counted = visits.action('counted', (draft) => {
    draft.count++;
  });
  const broken = visits.action(
    'broken',
    (draft) => {
      draft.count--;
    },
    {
      about: {
        title: () => {
          throw new Error('no title');
        },
      },
    },
  );
  const ended = action('ended', { about: { title: 'ended the shift' } });
  visits.when(ended, (draft) => {
    draft.count = 0;
  });
  const load = task(
    visits,
    'load',
    ({ dispatch }, day: string) => Promise.resolve(dispatch(counted())).then(() => day),
    {
      about: { title: (day) => `load ${day}` },
    },
  );
  const clock = handClock();
  const problems: unknown[] = [];
  const runtime = createRuntime({
    stores: [visits, names],
    trace: recording({ ignore: [counted], ...options }),
    clock,
    onProblem: ({ error }) => problems.push(error),
  });
  return { runtime, problems, trace: runtime.trace, assigned, counted, broken, ended, load, titled, clock, visits };
}
const click = { kind: 'click', name: 'Assign', role: 'button' } as const;
const n4 = { id: 'v1', berth: 'N4' };

test('an interaction holds the steps that are recorded until it ends', () => {
  const { runtime, trace, assigned, ended } = open();
  const end = trace.noteInteraction(click);
  runtime.dispatch(assigned(n4));
  expect(trace.interactions).toMatchObject([
    { id: 1, kind: 'click', name: 'Assign', role: 'button', from: 1, steps: 1 },
  ]);
  end();
  runtime.dispatch(ended());
  trace.noteInteraction({ kind: 'key', name: 'Day', key: 'Enter' })();
  expect(trace.interactions).toMatchObject([
    { id: 1, from: 1, steps: 1 },
    { id: 2, kind: 'key', key: 'Enter', from: 3, steps: 0 },
  ]);
});

test('the next interaction ends the one before; ending twice does nothing', () => {
  const { runtime, trace, ended, assigned } = open();
  const first = trace.noteInteraction(click);
  runtime.dispatch(assigned(n4));
  const second = trace.noteInteraction(click);
  runtime.dispatch(ended());
  first();
  second();
  second();
  runtime.dispatch(assigned(n4));
  expect(trace.interactions.map(({ from, steps }) => [from, steps])).toEqual([
    [1, 1],
    [2, 1],
  ]);
});

test('a tentative interaction without steps is dropped', () => {
  const { runtime, trace, assigned, clock } = open();
  trace.noteInteraction({ ...click, onlyWithSteps: true })();
  expect(trace.interactions).toEqual([]);
  const end = trace.noteInteraction({ ...click, onlyWithSteps: true });
  expect(trace.interactions).toEqual([]);
  runtime.dispatch(assigned(n4));
  end();
  expect(trace.interactions).toEqual([{ id: 2, time: clock.now(), ...click, from: 1, steps: 1 }]);
});

test('actions that are not listed belong to the interaction that dispatched them, and to no other', () => {
  const { runtime, trace, counted } = open();
  runtime.dispatch(counted());
  const end = trace.noteInteraction(click);
  runtime.dispatch(counted());
  runtime.dispatch(counted());
  end();
  runtime.dispatch(counted());
  expect(trace.steps.slice(1).map(({ count }) => count)).toEqual([1, 2, 1]);
  expect(trace.interactions).toMatchObject([{ from: 2, steps: 1 }]);
});

test('interactions and titles are saved with the trace, and come back from a file', () => {
  const { runtime, trace, assigned, ended, broken } = open();
  const end = trace.noteInteraction(click);
  runtime.dispatch(assigned(n4));
  end();
  runtime.dispatch(broken());
  runtime.dispatch(ended());
  const file = readTrace(trace.export());
  expect(file.interactions).toEqual(trace.interactions);
  expect(file.steps.map(({ title }) => title)).toEqual([
    undefined,
    'gave Corran Bell berth N4, after W2',
    // A title that fails is left out: the name of the step says enough.
    undefined,
    'ended the shift',
  ]);
  const other = open();
  other.trace.import(trace.export());
  expect(other.trace.interactions).toEqual(trace.interactions);
  other.trace.noteInteraction(click)();
  expect(other.trace.interactions.at(-1)?.id).toBe(2);
});

test('onProblem gets the error of a title once', () => {
  const { runtime, trace, broken, problems } = open();
  runtime.dispatch(broken());
  runtime.dispatch(broken());
  expect(problems).toEqual([]);
  trace.export();
  trace.export();
  expect(problems).toEqual([expect.objectContaining({ code: 'FLOE_TITLE_THREW' })]);
});

test('a title is evaluated at export, and never in a dispatch', () => {
  const { runtime, trace, assigned, titled } = open();
  runtime.dispatch(assigned(n4));
  trace.back();
  trace.live();
  expect(titled).toEqual([]);
  trace.export();
  expect(titled).toEqual(['v1']);
});

test('a task has its title at each step of a run', async () => {
  const { runtime, trace, load } = open();
  await runtime.run(load('2031-03-02'));
  const titles = readTrace(trace.export()).steps.flatMap(({ run, title }) => (run ? [title] : []));
  expect(titles).toEqual(['load 2031-03-02', 'load 2031-03-02']);
});

test('a copy of a store has the titles of the original', () => {
  const { visits, assigned } = open();
  const left = copyOf(visits, 'left');
  const runtime = createRuntime({ stores: [left], trace: recording() });
  runtime.dispatch(left.its(assigned)(n4));
  // The original's stores are not there to be read: then there is no title.
  expect(readTrace(runtime.trace.export()).steps.at(-1)?.title).toBeUndefined();
});

test('what is redacted is in no title and in no name of a control', () => {
  const { runtime, trace, assigned } = open({
    redact: { state: ['/visits/berth'], actions: { 'visits.assigned': ['/berth'] } },
  });
  const end = trace.noteInteraction({ ...click, name: 'Assign secret-berth' });
  runtime.dispatch(assigned({ id: 'v1', berth: 'secret-berth' }));
  end();
  trace.noteInteraction({ ...click, name: 'Assign secret-berth' })();
  const text = trace.export();
  expect(text.split('\n').slice(2).join('\n')).not.toMatch(/"title":"[^"]*secret-berth/);
  expect(trace.interactions.at(-1)?.name).toBe('Assign (redacted)');
});

test('interactions go with the steps that are folded', () => {
  const { runtime, trace, assigned } = open({ limit: 20 });
  for (let i = 0; i < 60; i++) {
    const end = trace.noteInteraction({ ...click, name: `Assign ${i}` });
    runtime.dispatch(assigned({ id: 'v1', berth: `N${i}` }));
    end();
  }
  const first = trace.steps[0].seq;
  expect(trace.interactions.every(({ from, steps }) => from + steps > first)).toBe(true);
  expect(trace.interactions.length).toBeLessThanOrEqual(trace.steps.length);
});

test('an unknown kind and an unknown member are refused', () => {
  const { trace } = open();
  expect(() => trace.noteInteraction({ ...click, kind: 'tap' as 'click' })).toThrow(
    expect.objectContaining({ code: 'FLOE_BAD_OPTION' }),
  );
  expect(() => trace.noteInteraction({ ...click, nam: 'x' } as never)).toThrow(
    expect.objectContaining({ code: 'FLOE_UNKNOWN_OPTION' }),
  );
});

test('an interaction in a file that is none is refused with its line', () => {
  const { trace } = open();
  const line = { interaction: 1, time: 0, kind: 'click', name: 'Assign', from: 1, steps: 1 };
  for (const wrong of [{ kind: 'tap' }, { name: 7 }, { from: -1 }, { steps: 0.5 }, { time: 'noon' }, { role: 1 }])
    expect(() => readTrace(`${trace.export()}${JSON.stringify({ ...line, ...wrong })}\n`)).toThrow(
      expect.objectContaining({ code: 'FLOE_TRACE_DAMAGED' }),
    );
  expect(readTrace(`${trace.export()}${JSON.stringify(line)}\n`).interactions).toHaveLength(1);
});
