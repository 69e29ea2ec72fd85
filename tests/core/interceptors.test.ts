// Who is asked before an action is applied: interceptors that users write, and those that come with Floe.
import { describe, expect, jest, test } from '@jest/globals';
import { actionLog, confirmation, createRuntime, store, type AnyAction, type Interceptor, type Problem } from 'floe';
import { recording } from 'floe/trace';
import { recorded } from '../support/counter.js';
import { codeOf } from '../support/failures.js';

describe('interceptors', () => {
  test('proceed, proceed with another action, or stop with a reason, in the order in which they were added', () => {
    const order: string[] = [];
    const doubling: Interceptor = (one, { proceed }) => {
      order.push('doubling');
      proceed(added.made(one) ? added(one.payload * 2) : one);
    };
    const capping: Interceptor = (one, { proceed, stop, read }) => {
      order.push('capping');
      if (added.made(one) && read(counter).n + one.payload > 10) stop('too much');
      else proceed();
    };
    const { counter, added, runtime, last } = recorded({ interceptors: [doubling, capping] });
    expect(runtime.dispatch(added(4))).toBe('applied');
    expect(runtime.dispatch(added(4))).toBe('stopped');
    expect([runtime.read(counter).n, order.join(' ')]).toEqual([8, 'doubling capping doubling capping']);
    expect(last()).toMatchObject({ outcome: 'stopped', reason: 'too much', changes: [] });
    expect(runtime.trace.steps[1]).toMatchObject({ action: { payload: 8 } });
  });

  test('the action that an interceptor puts in the place of another is checked', () => {
    const wrong = { type: 'counter.added', payload: (() => 1) as never };
    const { counter, added, runtime } = recorded({ interceptors: [(_one, { proceed }) => void proceed(wrong)] });
    expect(codeOf(() => runtime.dispatch(added(1)))).toBe('FLOE_NOT_PLAIN_DATA');
    expect(runtime.read(counter).n).toBe(0);
  });

  test('rule 4: one that waits holds the action as a step; it decides once; close stops it', () => {
    const decisions: (() => unknown)[] = [];
    const { added, runtime, last, outcomes } = recorded({
      interceptors: [(_one, { proceed }) => void decisions.push(() => proceed())],
    });
    expect(runtime.dispatch(added(1))).toBe('waiting');
    expect(runtime.dispatch(added(2))).toBe('waiting');
    expect(decisions[0]()).toBe('applied');
    expect(codeOf(decisions[0])).toBe('FLOE_PROCEEDED_TWICE');
    void runtime.close();
    expect(codeOf(decisions[1])).toBe('FLOE_CLOSED');
    expect(outcomes()).toEqual(['waiting', 'waiting', 'applied', 'stopped']);
    expect(last()).toMatchObject({ action: { payload: 2 }, reason: 'closed' });
  });

  test('an interceptor that replaces an action is its cause', () => {
    const { added, runtime, last } = recorded();
    const doubles: Interceptor = (action, { proceed }) => void proceed(added((action.payload as number) * 2));
    const [remove, keep] = [runtime.addInterceptor('doubles', doubles), runtime.addInterceptor('again', doubles)];
    runtime.dispatch(added(1));
    expect(last()).toMatchObject({ action: { payload: 4 }, cause: { by: 'interceptor' } });
    remove();
    remove();
    runtime.dispatch(added(1));
    expect(last()).toMatchObject({ action: { payload: 2 } });
    keep();
    runtime.dispatch(added(1));
    expect(last()).toMatchObject({ action: { payload: 1 }, cause: { by: 'code' } });
  });
});

test('a log tells what became of an action; one that failed fails nevertheless', () => {
  const lines: string[] = [];
  const { added, failing, runtime } = recorded({ interceptors: [actionLog({ write: (line) => lines.push(line) })] });
  runtime.dispatch(added(1));
  expect(codeOf(() => runtime.dispatch(failing()))).toBe('FLOE_CHANGE_FAILED');
  expect(lines).toEqual(['counter.added applied 1', expect.stringMatching(/^counter\.failing failed: .*on purpose/)]);
  const console_ = jest.spyOn(console, 'log').mockImplementation(() => undefined);
  const reported = recorded({ interceptors: [actionLog()] });
  reported.runtime.dispatch(reported.added(1));
  expect(console_).toHaveBeenCalledWith('counter.added applied 1');
  console_.mockRestore();
});

test('a log leaves out what is to be ignored, and cuts what is long', () => {
  const lines: string[] = [];
  const write = (line: string) => lines.push(line);
  const { added, written, runtime } = recorded({ interceptors: [actionLog({ write, ignore: ['counter.added'] })] });
  expect(runtime.dispatch(added(1))).toBe('applied');
  runtime.dispatch(written('x'.repeat(1000)));
  expect(lines).toEqual([expect.stringMatching(/^log\.written applied "x{199}\.\.\.$/)]);
});

test('what an interceptor dispatches besides comes from it, and from the step of what it decides', () => {
  const { counter, added, written, runtime } = recorded({
    interceptors: [
      (action, { proceed }) => {
        if (action.type !== 'counter.added') return void proceed();
        runtime.dispatch(written('before'));
        proceed();
        runtime.dispatch(written('after'));
      },
    ],
  });
  runtime.dispatch(added(1));
  const causes = runtime.trace.steps
    .filter(({ action }) => action)
    .map(({ action, cause }) => [action?.payload, cause]);
  const seq = runtime.trace.steps.find(({ action }) => action?.type === 'counter.added')?.seq;
  expect(causes).toEqual([
    ['before', { by: 'interceptor', action: 'counter.added' }],
    [1, { by: 'code' }],
    ['after', { by: 'interceptor', step: seq, action: 'counter.added' }],
  ]);
  expect(runtime.read(counter).n).toBe(1);
});

describe('a confirmation', () => {
  const thing = store('thing', { n: 0 });
  const asked = thing.action(
    'asked',
    (draft) => {
      draft.n++;
    },
    { about: { confirm: 'Sure?' } },
  );
  const plain = thing.action('plain', (draft) => {
    draft.n++;
  });
  const withAnswer = (answer: () => boolean | Promise<boolean>) => {
    const questions: [string, AnyAction][] = [];
    const problems: Problem[] = [];
    const runtime = createRuntime({
      stores: [thing],
      trace: recording(),
      onProblem: (problem) => problems.push(problem),
      interceptors: [
        confirmation((question, action) => {
          questions.push([question, action]);
          return answer();
        }),
      ],
    });
    return { runtime, questions, problems };
  };

  test('a confirmation may be given at once', () => {
    const yes = withAnswer(() => true);
    expect(yes.runtime.dispatch(asked())).toBe('applied');
    expect(yes.questions).toEqual([['Sure?', { type: 'thing.asked' }]]);
    expect(yes.runtime.dispatch(plain())).toBe('applied');
    expect(yes.questions).toHaveLength(1);
    const no = withAnswer(() => false);
    expect(no.runtime.dispatch(asked())).toBe('stopped');
    expect(no.runtime.read(thing).n).toBe(0);
  });

  test('a confirmation may be given later, and a question that fails is a no', async () => {
    const later = withAnswer(() => Promise.resolve(true));
    expect(later.runtime.dispatch(asked())).toBe('waiting');
    await Promise.resolve();
    expect(later.runtime.read(thing).n).toBe(1);
    const failed = withAnswer(() => Promise.reject(new Error('the dialog broke')));
    expect(failed.runtime.dispatch(asked())).toBe('waiting');
    await new Promise((resolve) => setTimeout(resolve));
    expect(failed.runtime.read(thing).n).toBe(0);
    expect(failed.runtime.trace.steps.at(-1)).toMatchObject({ outcome: 'stopped', reason: 'the dialog broke' });
    expect(failed.problems).toMatchObject([{ error: { message: 'the dialog broke' }, action: asked() }]);
  });
});
