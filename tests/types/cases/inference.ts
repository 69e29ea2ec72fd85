// Compiled, never run: all types follow from what is written, and wrong uses do not compile.
import { action, at, createRuntime, selector, store, type Source, type StateOf } from 'floe';
import { memoryStorage } from 'floe/persist';
import { useAction, useSelection } from 'floe/react';
import { recording } from 'floe/trace';

type Equal<A, B> = (<T>() => T extends A ? 1 : 2) extends <T>() => T extends B ? 1 : 2 ? true : false;
const is = <T extends true>(): T | undefined => undefined;

interface Visit {
  readonly id: string;
  readonly phase: 'expected' | 'alongside';
  readonly services: readonly string[];
}
const visits = store('visits', {
  list: [] as Visit[],
  picked: null as string | null,
  depth: new Map<string, number>(),
});

// payloads and drafts
const planned = visits.action('planned', (draft, visit: Visit) => {
  draft.list.push(visit);
  draft.list[0]!.phase = 'alongside';
  draft.picked = visit.id;
  // @ts-expect-error a field that is not there
  draft.pickd = visit.id;
  // @ts-expect-error a value of another type
  draft.picked = 7;
});
const cleared = visits.action('cleared', (draft) => ({ ...draft, picked: null }));
const counted = visits.action('counted', (draft, n: number = 3) => {
  draft.picked = String(n);
});
is<Equal<ReturnType<typeof planned>, { readonly type: 'visits.planned'; readonly payload: Visit }>>();
is<Equal<ReturnType<typeof cleared>, { readonly type: 'visits.cleared' }>>();
is<Equal<StateOf<typeof visits>['picked'], string | null>>();
counted();
counted(4);
// @ts-expect-error a payload is missing
planned();
// @ts-expect-error a payload of another type
planned('v1');
// @ts-expect-error a payload that is not declared
cleared('v1');
// @ts-expect-error a change is not async
visits.action('later', async (draft) => {
  draft.picked = await Promise.resolve('v1');
});
// @ts-expect-error push returns a number: write braces
visits.action('pushed', (draft, visit: Visit) => draft.list.push(visit));
// @ts-expect-error a returned state of another shape
visits.action('wrong', () => ({ list: [] }));

// actions of no store, answered by one
const shiftEnded = action('shiftEnded');
const noticeGiven = action<{ text: string }>('noticeGiven');
shiftEnded();
noticeGiven({ text: 'fog' });
// @ts-expect-error its payload is missing
noticeGiven();
visits.when(shiftEnded, (draft) => {
  draft.picked = null;
});
visits.when(noticeGiven, (draft, { text }) => {
  draft.picked = text;
});
visits.when(
  () => planned,
  (draft, visit) => {
    draft.picked = visit.id;
  },
);
// several, of which one has no payload
visits.when([shiftEnded, noticeGiven], (draft) => {
  draft.picked = null;
});
visits.when([shiftEnded, noticeGiven], (draft, notice) => {
  draft.picked = notice?.text ?? null;
  // @ts-expect-error there may be none
  draft.picked = notice.text;
});

// selectors
const expected = visits.selector('expected', (state) => state.list.filter((visit) => visit.phase === 'expected'));
const byId = visits.selector('byId', (state, id: string) => state.list.find((visit) => visit.id === id));
// a title reads stores, and no selector
action('cleared', { about: { title: (_payload, before) => before(visits).picked ?? '' } });
// @ts-expect-error a selector
action('cleared', { about: { title: (_payload, before) => String(before(expected).length) } });
const crowded = selector('crowded', (read) => read(expected).length > 3 && read(byId('v1')) !== undefined);
is<typeof expected extends Source<Visit[]> ? true : false>();

// the runtime
const runtime = createRuntime({ stores: [visits], trace: recording(), storage: memoryStorage() });
is<Equal<ReturnType<typeof runtime.read<Visit[]>>, Visit[]>>();
const list: Visit[] = runtime.read(expected);
const one: Visit | undefined = runtime.read(byId('v1'));
const yes: boolean = runtime.read(crowded);
const phase: 'expected' | 'alongside' | undefined | 'none' = runtime.read(at(visits, '/list/0/phase', 'none'));
export const used = [list, one, yes, phase, runtime.trace.steps, runtime.persistence.status];
runtime.watch(expected, (now, before) => [now[0]?.phase, before?.length]);
// @ts-expect-error an argument is missing
runtime.read(byId);
// @ts-expect-error an argument of another type
byId(7);
// @ts-expect-error an action creator, not an action
runtime.dispatch(planned);
// @ts-expect-error without a recording there is no trace
createRuntime({ stores: [visits] }).trace;
// one that records in development only
const sometimes = createRuntime({ trace: visits ? recording() : undefined });
sometimes.trace?.steps.at(0);
// @ts-expect-error there may be none
sometimes.trace.steps.at(0);
// @ts-expect-error no such field to keep
visits.persisted({ only: ['pickd'] });

// narrowing
const some = { type: 'visits.planned' } as { type: string };
if (planned.made(some)) is<Equal<typeof some.payload, Visit>>();

// hooks
export function Hooks(): unknown {
  const picked: string | null = useSelection(visits).picked;
  const length = useSelection((read) => read(expected).length);
  is<Equal<typeof length, number>>();
  const plan = useAction(planned);
  plan({ id: 'v1', phase: 'expected', services: [] });
  // @ts-expect-error a payload of another type
  plan(7);
  const clear = useAction(cleared);
  clear();
  // @ts-expect-error an action takes no argument that it does not declare
  clear(1);
  // @ts-expect-error an argument is missing
  useSelection(byId);
  return picked;
}

// a native Map is a leaf: at leads to none of its parts
const deep = createRuntime({ stores: [visits] }).read(at(visits, '/depth/N1'));
is<Equal<typeof deep, unknown>>();

// a selector whose arguments are all optional is a source as it is
const nth = visits.selector('nth', (state, n: number = 0) => state.list[n]);
const runtime2 = createRuntime({ stores: [visits] });
runtime2.read(nth)?.id.slice();
runtime2.read(nth(2))?.id.slice();
// @ts-expect-error an argument of another type
nth('2');
