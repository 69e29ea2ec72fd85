// Operations on one runtime: actions, transactions, optimism, interceptors, tasks, stores.
import { KINDS } from '../edits.js';
import { plain, same, text, type Plain } from '../model/plain.js';
import { Fault, Planned } from '../planned.js';
import type { Session } from '../session.js';
import { checkRolledBack } from '../oracles/always.js';
import { at, NOTHING, type Act } from './act.js';

/** What a gentle program does: it only adds. */
const ADDING: Readonly<Record<string, readonly string[]>> = {
  tide: ['raised', 'noted', 'set'],
  board: ['pushed', 'edited', 'dated'],
  port: ['founded', 'registered', 'renamed'],
};

/** An action of the program, with a payload that no other one has. */
export function someAction(session: Session, { a, b, x }: { a: number; b: number; x: number }, note: string) {
  const { app, blueprint } = session;
  // The user may write anywhere what stands at a redacted place.
  const secret = blueprint.redacts && x % 4 > 1 ? secretOf(session) : undefined;
  if (secret !== undefined) return app.action(a, b, { x, note: x % 4 === 2 ? secret : `Bearer ${secret}` });
  if (!blueprint.gentle) return app.action(a, b, { x, note });
  const { kind } = at(app.stores, a)!;
  const names = ADDING[kind];
  return app.action(a, Object.keys(KINDS[kind].edits).indexOf(names[b % names.length]), { x, note });
}

const secretOf = (session: Session): string | undefined =>
  Object.values(session.state()).find((state: Plain) => typeof state.secret === 'string' && state.secret !== '')
    ?.secret;

const TASKS = ['load', 'save', 'once', 'retrying', 'parent'] as const;

const holding = (how: 'atomic' | 'batch'): Omit<Act, 'weight'> => ({
  group: 'act',
  holds: true,
  perform: (player, session, { inner = [], throws = false }) => {
    const { trace, isInside, isInBatch } = session;
    const before = trace?.steps.at(-1)?.seq ?? -1;
    session.isInBatch ||= how === 'batch';
    try {
      player.inside(session, () =>
        session.runtime[how](() => {
          for (const one of inner) void player.perform(one, session);
          if (throws) throw new Planned('it is not wanted');
        }),
      );
    } catch (error) {
      if (how === 'atomic' && !isInside && trace) checkRolledBack(trace.steps, before);
      throw error;
    } finally {
      session.isInBatch = isInBatch;
    }
    return 'done';
  },
});

export const ACTIONS = {
  dispatch: {
    group: 'act',
    weight: 12,
    perform: (player, session, operation) => session.runtime.dispatch(someAction(session, operation, player.note())),
  },
  goTo: {
    group: 'act',
    weight: 1,
    perform: (_player, { address, runtime }, { a, b, x }) => {
      if (!address) return NOTHING;
      const how = { query: b % 2 === 0 ? {} : { day: String(b) }, ...(x % 5 === 0 && { replace: true }) };
      if (a % 3 === 0) return runtime.dispatch(address.went({ at: 'board', ...how }));
      return runtime.dispatch(address.went({ at: 'visit', params: { id: `v${a}` }, ...how }));
    },
  },
  /** The user goes back or on in the history of the browser. */
  userGoes: {
    group: 'act',
    weight: 1,
    outside: 'the user acts between calls',
    perform: (_player, { address, bar }, { x }) => (address ? String(bar.move(x % 3 === 0 ? 1 : -1)) : NOTHING),
  },
  atomic: { weight: 5, ...holding('atomic') },
  batch: { weight: 2, ...holding('batch') },
  optimistic: {
    group: 'act',
    weight: 5,
    perform: (player, session, operation) => {
      if (!session.context) return NOTHING;
      const action = someAction(session, operation, `${player.note()}o`);
      const optimistic = session.context.optimistic(action);
      session.handles.push({ action, optimistic, settled: false });
      return optimistic.result;
    },
  },
  confirm: {
    group: 'act',
    weight: 3,
    perform: (player, session, operation) => {
      const handle = at(session.open, operation.s);
      if (!handle) return NOTHING;
      if (operation.x % 3 > 0) handle.optimistic.confirm();
      else handle.optimistic.confirm(someAction(session, operation, player.note()));
      handle.settled = true;
      return 'confirmed';
    },
  },
  revert: {
    group: 'act',
    weight: 4,
    perform: (_player, session, { s }) => {
      const handle = at(session.open, s);
      if (!handle) return NOTHING;
      handle.settled = true;
      handle.optimistic.revert();
      return 'reverted';
    },
  },
  run: {
    group: 'work',
    weight: 4,
    perform: (player, session, operation) => {
      const task = session.app.tasks[at(TASKS, operation.a)!];
      const run = session.runtime.run(task({ x: operation.x, note: player.note() }));
      session.runs.push(run);
      // Some are watched for their result, others are left alone.
      if (operation.b % 2 === 0) run.catch(() => undefined);
      return run.phase;
    },
  },
  cancel: {
    group: 'work',
    weight: 2,
    perform: (_player, session, { a }) => {
      const run = at(
        session.runs.filter(({ phase }) => phase === 'running' || phase === 'waiting'),
        a,
      );
      if (!run) return NOTHING;
      run.cancel();
      session.cancelled.push(run);
      return run.phase;
    },
  },
  respond: {
    group: 'work',
    weight: 5,
    outside: 'responses come between calls',
    perform: (_player, session, { a, x }) => {
      if (session.questions.length === 0) return NOTHING;
      const [question] = session.questions.splice(a % session.questions.length, 1);
      if (x % 6 === 5) question.fail();
      else question.respond(x);
      return 'responded';
    },
  },
  decide: {
    group: 'work',
    weight: 3,
    perform: (_player, session, { a, x }) => {
      if (session.held.length === 0) return NOTHING;
      const [held] = session.held.splice(a % session.held.length, 1);
      if (x % 3 === 0) held.stop();
      else held.proceed();
      return 'decided';
    },
  },
  join: {
    group: 'store',
    weight: 4,
    perform: (_player, session, { a, x }) => {
      const { app, runtime, line, floe } = session;
      const one = at(app.stores, a)!;
      if (x % 4 === 3 && one.kind !== 'port') {
        const name = `copy${app.stores.indexOf(one)}`;
        if (session.copies.some((copy) => copy.name === name)) return NOTHING;
        line?.handlers.copy(name, one.name);
        const copy = floe.copyOf(one.store, name);
        session.copies.push({ ...one, name, store: copy });
        runtime.add(copy);
      } else if (x % 2 === 0) runtime.add(one.store);
      else runtime.read(one.store);
      return 'joined';
    },
  },
  renew: {
    group: 'store',
    weight: 1,
    perform: (_player, session) => {
      session.renew();
      return 'renewed';
    },
  },
  reset: {
    group: 'store',
    weight: 2,
    removes: true,
    perform: (_player, session, { a, x }) => {
      const one = at(session.app.stores, a)!;
      if (x % 2 === 0) session.runtime.reset(one.store);
      else session.runtime.reset();
      return 'reset';
    },
  },
  snapshot: {
    group: 'store',
    weight: 1,
    perform: (_player, session) => {
      const { floe, app, runtime } = session;
      const carried = floe.createRuntime({
        stores: app.stores.map(({ store }) => store),
        initial: floe.parseSnapshot(floe.snapshotText(runtime)),
      });
      const [own, other] = [plain(session.state()), plain(carried.snapshot())];
      for (const { name } of app.stores)
        if (Object.hasOwn(own, name) && !same(own[name], other[name]))
          throw new Fault('snapshot', `${name} is ${text(other[name])} instead of ${text(own[name])}`);
      return 'carried';
    },
  },
} satisfies Record<string, Act>;
