// What the suites of tasks share: visits, and a desk that is asked about them.
import { need, store, task, type Run, type Runtime, type TaskContext } from 'floe';
import type { Step } from 'floe/trace';

// A desk that answers when the test says so.
interface Desk {
  ask(what: string): Promise<string>;
}
export const desk = need<Desk>('desk');
/** The visits, declared again: what one test declares beside them must not answer in another. */
export const declareVisits = () => {
  const visits = store('visits', { list: [] as string[], picked: null as string | null, filter: 'all' });
  return {
    visits,
    listArrived: visits.action('listArrived', (draft, list: string[]) => {
      draft.list = list;
    }),
    picked: visits.action('picked', (draft, id: string | null) => {
      draft.picked = id;
    }),
    filterPicked: visits.action('filterPicked', (draft, filter: string) => {
      draft.filter = filter;
    }),
  };
};
export const asks = () => {
  const open: { what: string; answer(text: string): void; fail(error: Error): void }[] = [];
  const given = desk.by({
    ask: (what) => new Promise((answer, fail) => open.push({ what, answer, fail })),
  });
  return { open, given };
};
export const lines = (steps: readonly Step[]): string[] =>
  steps.map(({ seq, fact, action: sent, run, cause, outcome, reason }) =>
    [
      seq,
      fact ?? sent?.type,
      run && `#${run.id} ${run.phase}`,
      `by ${cause.by}${cause.run ? ` #${cause.run}` : ''}${cause.step === undefined ? '' : ` after ${cause.step}`}`,
      outcome,
      reason,
    ]
      .filter((part) => part !== undefined)
      .join(', '),
  );
export const codeOf = (error: unknown): string => (error as { code: string }).code;
export const phaseOf = (run: Run<unknown>): Promise<string> =>
  run.then(
    () => 'done',
    (error: unknown) => (error as Error).message,
  );

let held!: TaskContext;
/** A task that never ends. */
export const hold = task('hold', (context) => {
  held = context;
  return new Promise(() => undefined);
});
/** Runs it: what a task may do can be done from outside then. */
export const holding = (runtime: Pick<Runtime, 'run'>) => {
  const run = runtime.run(hold());
  void run.catch(() => undefined);
  return { context: held, run };
};
