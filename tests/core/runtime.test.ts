// The runtime where its parts meet: who is told what, by whose doing, in which order, and what a wrong call says.
import { describe, expect, jest, test } from '@jest/globals';
import { createRuntime, task, type FloeError, type Run } from 'floe';
import { recording } from 'floe/trace';
import { storesOf } from '../../src/core/kernel/feature.js';
import { listen } from '../../src/core/kernel/recorder.js';
import { confirmedStates } from '../../src/core/kernel/states.js';
import { declareCounter, recorded } from '../support/counter.js';
import { codeOf, failure } from '../support/failures.js';

describe('a call that is not possible says which it was', () => {
  const { counter, added } = declareCounter();
  const work = task('work', () => undefined);
  type Given = ReturnType<typeof recorded>['runtime'];
  const calls: Record<string, (runtime: Given) => unknown> = {
    dispatch: (runtime) => runtime.dispatch(added(1)),
    batch: (runtime) => runtime.batch(() => 1),
    atomic: (runtime) => runtime.atomic(() => 1),
    reset: (runtime) => {
      runtime.reset();
    },
    run: (runtime) => runtime.run(work()),
    read: (runtime) => runtime.read(counter),
    watch: (runtime) => runtime.watch(counter, () => undefined),
    follow: (runtime) => runtime.follow(() => undefined),
  };
  test.each(Object.keys(calls))('%s', (name) => {
    const runtime = createRuntime({ stores: [counter], trace: recording() });
    if (!['read', 'watch', 'follow'].includes(name)) {
      const inside = counter.action(`inside-${name}`, () => void calls[name](runtime));
      const { code, message } = failure(() => runtime.dispatch(inside()));
      expect([code, message]).toEqual([
        'FLOE_WRONG_PLACE',
        expect.stringMatching(`^${name}.* was called inside the change`),
      ]);
      const reads = counter.selector(`reads-${name}`, () => void calls[name](runtime));
      expect(() => runtime.read(reads)).toThrow(`inside the selector 'counter.reads-${name}'`);
    }
    void runtime.close();
    const { code, message } = failure(() => calls[name](runtime));
    expect([code, message]).toEqual(['FLOE_CLOSED', expect.stringContaining(name)]);
  });

  test('the runtime refuses to move in time inside a change', () => {
    const { runtime, counter: own, added: counted } = recorded();
    const moves = own.action('moves', () => runtime.trace.back());
    runtime.dispatch(counted(1));
    expect(() => runtime.dispatch(moves())).toThrow('moving in time was called inside');
    for (const nothing of [null, undefined, 5, 'counter.added', {}])
      expect(codeOf(() => runtime.dispatch(nothing as never))).toBe('FLOE_NOT_AN_ACTION');
  });
});

describe('who did it, and what became of it', () => {
  test('an action of a watcher names the step that it handles as its cause', () => {
    const { counter, added, failing, written, runtime, problems, last } = recorded();
    runtime.watch(counter, ({ n }) => {
      runtime.dispatch(n === 1 ? written('one') : failing());
    });
    runtime.dispatch(added(1));
    expect(last()).toMatchObject({ action: { type: 'log.written' }, cause: { by: 'code', step: 1 } });
    runtime.dispatch(added(1));
    expect(problems).toEqual([
      { error: expect.objectContaining({ code: 'FLOE_CHANGE_FAILED' }) as unknown, action: failing() },
    ]);
    expect(last()).toMatchObject({ outcome: 'failed', cause: { by: 'code', step: 3 } });
  });

  test('actions of a run that a watcher started come after the notification', async () => {
    const { counter, added, written, runtime, last } = recorded();
    const results: string[] = [];
    const writes = task('writes', ({ dispatch }, line: string) => void results.push(dispatch(written(line))));
    const waits = task('waits', ({ dispatch }) => {
      results.push(dispatch(written('never')));
      return new Promise(() => undefined);
    });
    const stop = runtime.watch(counter, () => void runtime.run(writes('kept')));
    runtime.dispatch(added(1));
    expect([results, last()]).toMatchObject([['queued'], { outcome: 'applied', cause: { by: 'task', run: 1 } }]);
    stop();
    let run: Run<unknown> | undefined;
    runtime.watch(counter, () => {
      run = runtime.run(waits());
      run.cancel('enough');
    });
    runtime.dispatch(added(1));
    expect(await run!.then(undefined, (error: unknown) => (error as FloeError).code)).toBe('FLOE_RUN_CANCELLED');
    expect(results).toEqual(['queued', 'queued']);
    expect(last()).toMatchObject({
      outcome: 'stopped',
      reason: expect.stringMatching(/its run is over: enough/) as unknown,
    });
  });

  test('each step says how long it took, whatever its outcome', () => {
    let now = 0;
    const { counter, log, added, failing, written, runtime } = recorded({ clock: () => (now += 5000) });
    log.when(failing, (draft) => {
      draft.lines.push('failed');
    });
    log.when(added, (draft, _by) => {
      draft.lines.push('added');
    });
    const before = runtime.trace.steps.length;
    runtime.dispatch(added(1));
    runtime.dispatch(written('alone'));
    expect(codeOf(() => runtime.dispatch(failing()))).toBe('FLOE_CHANGE_FAILED');
    const alone = counter.action('alone', () => {
      throw new Error('alone');
    });
    expect(codeOf(() => runtime.dispatch(alone()))).toBe('FLOE_CHANGE_FAILED');
    const steps = runtime.trace.steps.slice(before);
    expect(steps.map(({ outcome }) => outcome)).toEqual(['applied', 'applied', 'failed', 'failed']);
    for (const { took } of steps) expect(took >= 0 && took < 1000).toBe(true);
    expect(new Set(steps.map(({ time }) => time)).size).toBe(4);
  });

  test('a reset is a step, also where no state changes', () => {
    const { added, runtime, last } = recorded();
    runtime.reset();
    expect(last()).toMatchObject({ fact: 'reset', outcome: 'unchanged', changes: [], cause: { by: 'runtime' } });
    runtime.dispatch(added(1));
    runtime.reset();
    expect(last()).toMatchObject({ fact: 'reset', outcome: 'applied', changes: [{ path: '/counter/n' }] });
  });
});

describe('what is offered to those who are attached', () => {
  test('an attached part dispatches for its own actor, and is closed once', async () => {
    const { added, runtime, host, last } = recorded();
    await runtime.run(task('done', () => undefined)());
    expect(host.dispatch(added(1), { by: 'inspector' })).toBe('applied');
    expect(last().cause).toMatchObject({ by: 'inspector' });
    expect([storesOf(host).map(({ name }) => name), Object.keys(confirmedStates(host))]).toEqual([
      ['counter', 'log'],
      ['counter', 'log'],
    ]);
    const close = jest.fn<() => void>();
    listen(host, { close });
    void runtime.close();
    void runtime.close();
    expect(close).toHaveBeenCalledTimes(1);
  });
});
