// Random programs of nested transactions, some of which throw, against a number and a list: states, steps, notifications,
// started tasks, and what is stored.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store, task, type Optimistic } from 'floe';
import { memoryStorage } from 'floe/persist';
import { recording, type Trace } from 'floe/trace';
import { hostOf } from '../../src/core/kernel/attachment.js';
import { confirmedStates } from '../../src/core/kernel/states.js';
import { runs } from '../support/runs.js';

type Part =
  | { readonly do: 'add'; readonly by: number }
  | { readonly do: 'fail' | 'settle' | 'join' }
  | {
      readonly do: 'atomic' | 'batch';
      readonly parts: readonly Part[];
      readonly end: 'commits' | 'throws' | 'is async';
    };

const { part } = fc.letrec<{ part: Part }>((tie) => ({
  part: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    { weight: 4, arbitrary: fc.record({ do: fc.constant('add' as const), by: fc.integer({ min: 1, max: 9 }) }) },
    { weight: 1, arbitrary: fc.record({ do: fc.constantFrom('fail' as const, 'settle' as const, 'join' as const) }) },
    {
      weight: 4,
      arbitrary: fc.record({
        do: fc.constantFrom('atomic' as const, 'atomic' as const, 'batch' as const),
        parts: fc.array(tie('part'), { maxLength: 4 }),
        end: fc.constantFrom('commits' as const, 'commits' as const, 'throws' as const, 'is async' as const),
      }),
    },
  ),
}));

/** What a program comes to. */
class Model {
  level = 0;
  /** What tasks are started by, once the outermost transaction has committed. */
  readonly started: number[] = [];
  /** The actions in the order of their steps: what they add, and their outcome. */
  readonly steps: [by: number | 'fail', outcome: string][] = [];
  private depth = 0;

  run(parts: readonly Part[]): void {
    for (const one of parts) {
      if (one.do === 'add') {
        this.level += one.by;
        this.started.push(one.by);
        this.steps.push([one.by, 'applied']);
      } else if (one.do === 'fail') this.steps.push(['fail', 'failed']);
      else if (one.do === 'batch') this.run(one.parts);
      else if (one.do === 'atomic') this.transact(one);
    }
  }

  private transact({ parts, end }: Extract<Part, { readonly parts: unknown }>): void {
    const { level } = this;
    const [started, steps] = [this.started.length, this.steps.length];
    this.depth++;
    this.run(parts);
    this.depth--;
    if (end === 'commits') return;
    this.level = level;
    this.started.length = started;
    for (let i = steps; i < this.steps.length; i++) this.steps[i] = [this.steps[i][0], 'reverted'];
  }
}

const ATTACHED = { 'with a trace and a storage': true, without: false };

describe.each(Object.entries(ATTACHED))('%s', (_name, isAttached) => {
  test('rule 2: each transaction that throws rolls back its own dispatches, and the one around it goes on', () => {
    fc.assert(
      fc.property(fc.array(part, { minLength: 1, maxLength: 6 }), fc.nat(2), (program, pending) => {
        const tide = store('tide', { level: 0 }).persisted();
        const raised = tide.action('raised', (draft, by: number) => {
          draft.level += by;
        });
        const failing = tide.action('failing', () => {
          throw new RangeError('the gauge is stuck');
        });
        const started: number[] = [];
        task(
          tide,
          'tell',
          (_context, by: number) => {
            if (by < 1000) started.push(by);
          },
          { when: raised },
        );
        const open: Optimistic[] = [];
        const hold = task(tide, 'hold', ({ optimistic }) => {
          for (let i = 0; i < pending; i++) open.push(optimistic(raised(1000)));
          return new Promise<void>(() => undefined);
        });
        const runtime = createRuntime({
          stores: [tide],
          ...(isAttached && { trace: recording(), storage: memoryStorage() }),
          onProblem: () => undefined,
        });
        runtime.run(hold()).catch(() => undefined);
        let [joined, settled] = [0, 0];
        const play = (parts: readonly Part[]): void => {
          for (const one of parts)
            if (one.do === 'add') runtime.dispatch(raised(one.by));
            else if (one.do === 'join') runtime.read(store(`late${joined++}`, 0));
            else if (one.do === 'settle') open[settled++]?.revert();
            else if (one.do === 'batch') runtime.batch(() => play(one.parts));
            else if (one.do === 'fail') expect(() => runtime.dispatch(failing())).toThrow();
            else if (one.do === 'atomic') {
              const work = () =>
                runtime.atomic(() => {
                  play(one.parts);
                  if (one.end === 'throws') throw new RangeError('on purpose');
                  return one.end === 'is async' ? Promise.resolve() : undefined;
                });
              if (one.end === 'commits') expect(work()).toBeUndefined();
              else expect(work).toThrow();
            }
        };
        const model = new Model();
        model.run(program);
        const seen: number[] = [];
        const before = pending * 1000;
        const stop = runtime.watch(tide, ({ level }) => seen.push(level));
        runtime.batch(() => play(program));
        stop();
        const still = Math.max(0, pending - settled);
        const level = model.level + still * 1000;
        expect(runtime.read(tide).level).toBe(level);
        expect(seen).toEqual(level === before ? seen.slice(0, 0) : [level]);
        expect(started).toEqual(model.started);
        // Storages hold the state without what is pending; when all is reverted, nothing of it is left.
        expect(confirmedStates(hostOf(runtime)).tide).toEqual({ level: model.level });
        for (const one of open) one.revert();
        expect([runtime.read(tide).level, hostOf(runtime).attending !== undefined]).toEqual([model.level, false]);
        if (!isAttached) return;
        const { trace } = runtime as unknown as { readonly trace: Trace };
        const steps = trace.steps.filter(({ action }) => action && action.payload !== 1000);
        expect(
          steps.map(({ action, outcome }) => [action!.type === 'tide.failing' ? 'fail' : action!.payload, outcome]),
        ).toEqual(model.steps);
        expect(trace.stateAt(trace.steps.at(-1)!.seq)).toMatchObject({ tide: { level: model.level } });
        trace.back();
        trace.live();
        expect(runtime.read(tide).level).toBe(model.level);
      }),
      { numRuns: runs(300) },
    );
  });
});
