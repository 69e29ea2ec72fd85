// What a task is called with and gives follows from its declaration.
import { action, createRuntime, need, store, task, type Run, type Source, type TaskStatus } from 'floe';

interface Office {
  visits(day: string): Promise<string[]>;
}
const office = need<Office>('office');
const visits = store('visits', { list: [] as string[], picked: null as string | null });
const picked = visits.action('picked', (draft, id: string) => {
  draft.picked = id;
});
const shiftEnded = action('shiftEnded');

const load = task(visits, 'load', async ({ use }, day: string) => (await use(office).visits(day)).length);
const save = task('save', (_context, _id: string, _text: string) => true, { overlapBy: (id) => id });
const once = task('once', (_context, _id: string) => 7, { unless: (read, id) => read(visits).list.includes(id) });
task('answers', (_context, id: string) => id, { when: picked });
task('answersWithoutLooking', () => 1, { when: picked });
task('answersLater', (_context, id: string) => id, { when: () => picked });
task('answersSeveral', () => 1, { when: [shiftEnded] });
const measured = visits.action('measured', (_draft, _metres: number) => undefined);
task('answersAny', () => 1, { when: [picked, measured, shiftEnded] });
task('answersEither', (_context, _of: string | number) => 1, { when: [picked, measured] });
task('answersLaterAny', () => 1, { when: () => [picked, measured] });
visits.when([picked, measured], (draft, of) => {
  const either: string | number = of;
  draft.list = [String(either)];
});
// @ts-expect-error one of the payloads is a number
task('answersOne', (_context, _id: string) => 1, { when: [picked, measured] });
// @ts-expect-error the action has no payload
task('answersNothing', (_context, _id: string) => 1, { when: shiftEnded });

const runtime = createRuntime({ needs: [office.by({ visits: () => Promise.resolve([]) })] });
const count: Run<number> = runtime.run(load('2031-03-02'));
const maybe: Promise<number | undefined> = runtime.run(once('v7'));
const status: Source<TaskStatus> = save.statusOf('v7');
save.statusOf('v7', 'text');
void [count, maybe, status];

const both = task(visits, 'both', (_context, _id: string, _at: number) => 1);
both.statusOf('v7', 1);
// @ts-expect-error the status of a run goes by all of its arguments
both.statusOf('v7');
// @ts-expect-error there is no such option
task(visits, 'misspelt', () => 1, { overlop: 'replace' });
// @ts-expect-error there is no such option
createRuntime({ interceptor: [] });
// @ts-expect-error a day is a text
load(7);
// @ts-expect-error the day is missing
load();
// @ts-expect-error a task is called before it is run
runtime.run(load);
// @ts-expect-error the status goes by the task's own arguments
save.statusOf(7);
// @ts-expect-error the result of a run that may not be needed may be missing
const result: Promise<number> = runtime.run(once('v7'));
// @ts-expect-error the payload is a text, and the task wants a number
task('wrongPayload', (_context, id: number) => id, { when: picked });
// @ts-expect-error it is one of five ways
task('wrongOverlap', () => 1, { overlap: 'sometimes' });
// @ts-expect-error an office answers with a list of texts
office.by({ visits: () => Promise.resolve([7]) });
void result;

task('context', async ({ next, each, optimistic, dispatch, signal, read }) => {
  const { payload } = await next(picked);
  const id: string = payload;
  for await (const one of each([picked])) dispatch(picked(one.payload));
  optimistic(picked(id)).confirm(shiftEnded());
  const list: string[] = read(visits).list;
  void [list, fetch('/', { signal })];
  // @ts-expect-error an action is made by calling its creator
  dispatch(picked);
});
