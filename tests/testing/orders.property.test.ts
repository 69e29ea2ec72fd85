// The search through orders, which leaves out what is equal, against one that leaves out nothing.
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { need, store, task, type Read, type TaskContext } from 'floe';
import { explore, heldCalls, testRuntime } from 'floe/testing';
import { runs } from '../support/runs.js';

type Does = 'ask' | 'askBoth' | 'addNorth' | 'addSouth' | 'copyToSouth' | 'sleep' | 'await' | 'show' | 'child';
interface Program {
  readonly tasks: readonly (readonly Does[])[];
  readonly overlap: 'allow' | 'replace' | 'queue' | 'ignore' | 'share';
  /** The first task has nothing to do before `north` has so many letters. */
  readonly enough: number;
}

const desk = need<{ ask(what: string): Promise<string> }>('desk');
const RESPONSES = ['x', 'y'];
const DEPTH = 4;

/** The stores and tasks that a program describes. */
function declare({ tasks, overlap, enough }: Program) {
  const north = store('north', { text: '' });
  const south = store('south', { text: '' });
  const addedNorth = north.action('added', ({ text }, more: string) => ({ text: text + more }));
  const addedSouth = south.action('added', ({ text }, more: string) => ({ text: text + more }));
  const child = task(
    south,
    'child',
    async ({ use, dispatch }) => {
      dispatch(addedSouth(await use(desk).ask('child')));
    },
    { overlap },
  );
  const steps: Record<Does, (context: TaskContext, got: string) => unknown> = {
    ask: ({ use }) => use(desk).ask('one'),
    askBoth: ({ use }) => Promise.race([use(desk).ask('left'), use(desk).ask('right')]),
    addNorth: ({ dispatch }, got) => dispatch(addedNorth(got)) && got,
    addSouth: ({ dispatch }, got) => dispatch(addedSouth(got)) && got,
    copyToSouth: ({ dispatch, read }, got) => dispatch(addedSouth(`(${read(north).text})`)) && got,
    sleep: ({ sleep }) => sleep(10).then(() => 'z'),
    await: ({ next }) => next(addedNorth).then(({ payload }) => payload.toUpperCase()),
    show: ({ optimistic }, got) => optimistic(addedNorth(`?${got}`)) && got,
    child: ({ run }) => run(child()).then(() => 'c'),
  };
  const declared = tasks.map((does, i) =>
    task(
      north,
      `t${i}`,
      async (context: TaskContext) => {
        let got = String(i);
        for (const one of does) got = (await steps[one](context, got)) as string;
        if (got === 'y') throw new Error('refused');
      },
      { overlap, ...(i === 0 && { unless: (read: Read) => read(north).text.length < enough }) },
    ),
  );
  return { stores: [north, south], calls: declared.map((one) => one()), north, south };
}

/** How soon each pair of texts can be reached, by playing every order there is. */
async function everyOrder(program: Program): Promise<Map<string, number>> {
  const soonest = new Map<string, number>();
  const play = async (path: readonly number[]): Promise<number> => {
    const { stores, calls, north, south } = declare(program);
    const held = heldCalls(desk);
    const runtime = testRuntime({ stores, needs: held.needs });
    const choices = (): (() => Promise<unknown>)[] => [
      ...calls.map((call) => async () => {
        runtime.run(call).catch(() => undefined);
        await runtime.clock.advance(0);
      }),
      ...held.calls.flatMap(({ isOpen }, i) => (isOpen ? RESPONSES.map((one) => () => held.respond(i + 1, one)) : [])),
      ...(runtime.clock.waiting > 0 ? [() => runtime.clock.advance(10)] : []),
    ];
    for (const choice of path) await choices()[choice]();
    const key = JSON.stringify([runtime.read(north).text, runtime.read(south).text]);
    soonest.set(key, Math.min(soonest.get(key) ?? Infinity, path.length));
    const count = choices().length;
    void runtime.close();
    return count;
  };
  const paths: (readonly number[])[] = [[]];
  for (const path of paths) {
    const count = await play(path);
    if (path.length < DEPTH) for (let i = 0; i < count; i++) paths.push([...path, i]);
  }
  return soonest;
}

const does = fc.constantFrom<Does>(
  'ask',
  'ask',
  'askBoth',
  'addNorth',
  'addSouth',
  'copyToSouth',
  'sleep',
  'await',
  'show',
  'child',
);
const programs = fc.record({
  tasks: fc.array(fc.array(does, { minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: 2 }),
  overlap: fc.constantFrom('allow', 'replace', 'queue', 'ignore', 'share'),
  enough: fc.constantFrom(0, 1),
} as const);

test('what every order can reach, explore reaches as soon', async () => {
  await fc.assert(
    fc.asyncProperty(programs, fc.nat(), async (program, pick) => {
      const soonest = [...(await everyOrder(program))].filter(([, steps]) => steps > 0);
      fc.pre(soonest.length > 0);
      const [target, steps] = soonest[pick % soonest.length];
      const { stores, calls, north, south } = declare(program);
      let isFound = false;
      await explore({
        stores,
        examples: [
          ...calls,
          (read) => {
            isFound ||= JSON.stringify([read(north).text, read(south).text]) === target;
            return [];
          },
        ],
        needs: [desk.outcomes({ ask: RESPONSES })],
        // What is tried is asked for before each of the last steps.
        steps: steps + 1,
      });
      expect([target, steps, isFound]).toEqual([target, steps, true]);
    }),
    { numRuns: runs(12) },
  );
});
