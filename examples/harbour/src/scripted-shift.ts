// One shift of a watch officer, played without a page: what `npm run demo -- --headless` does.
import type { Runtime } from 'floe';
import {
  address,
  assignBerth,
  counts,
  dayPicked,
  filterPicked,
  freeBerths,
  loadDay,
  moveOn,
  noteWritten,
  openRoom,
  pickedId,
  planVisit,
  shiftEnded,
  visitAt,
  visitsShown,
  shown,
  vessels,
  type VisitShown,
} from './model/index.js';

/** What the officer did, in words. */
export type Tell = (line: string) => void;

export async function playShift(runtime: Runtime, tell: Tell): Promise<void> {
  const { read, dispatch, run } = runtime;
  const name = (visit: VisitShown): string => `${visit.vessel.name} (${visit.vessel.kind})`;
  const free = (): string =>
    `${read(freeBerths).length} berths free: ${read(freeBerths)
      .map((berth) => berth.id)
      .join(', ')}`;

  await run(openRoom());
  const { all, expected, alongside, departed } = read(counts);
  tell(`The day's list arrives: ${all} visits, ${expected} expected, ${alongside} alongside, ${departed} departed.`);
  tell(free());

  dispatch(filterPicked('expected'));
  const isFree = ({ place }: VisitShown): boolean => read(freeBerths).some((berth) => berth.id === place.id);
  const [first, second] = read(visitsShown)
    .map(({ id }) => shown(read, id))
    .filter(isFree) as [VisitShown, VisitShown];
  dispatch(address.went(visitAt(first.id)));
  tell(`Next for a free berth is ${name(first)}: ${first.place.id} at ${first.arrives.slice(11, 16)}.`);

  await run(moveOn(first.id));
  tell(`${first.vessel.name} is alongside. ${free()}`);

  const vessel = read(vessels).find((one) => one.kind === 'survey') ?? read(vessels).at(0)!;
  const berth = read(freeBerths).at(-1)!;
  await run(
    planVisit({
      hull: vessel.hull,
      place: berth.id,
      arrives: '2031-03-02T22:30:00.000Z',
      departs: '2031-03-02T23:45:00.000Z',
    }),
  );
  tell(`${vessel.name} calls in: planned for ${berth.id} at 22:30.`);

  const other = read(freeBerths)[0];
  const response = await run(assignBerth(read(pickedId)!, other.id)).then(
    () => `the office confirms ${other.id}`,
    (error: unknown) => `the office refuses ${other.id}, and it stays at ${berth.id}: ${(error as Error).message}`,
  );
  tell(`Another berth is tried for it at once on the screen; ${response}.`);

  dispatch(address.went(visitAt(second.id)));
  await run(moveOn(second.id));
  await run(moveOn(second.id));
  tell(`${second.vessel.name} comes alongside, takes on stores and leaves again. ${free()}`);

  dispatch(noteWritten(`${first.vessel.name} asks for shore power at ${first.place.id}. ${vessel.name} due 22:30.`));
  tell('A note goes into the log for the next watch.');

  const showDay = (day: string): Promise<void> =>
    new Promise((resolve) => {
      dispatch(dayPicked(day));
      const stop = runtime.watch(loadDay.status, ({ phase }) => {
        if (phase !== 'done') return;
        stop();
        resolve();
      });
    });
  await showDay('2031-03-03');
  tell(`A look at tomorrow: ${read(counts).expected} visits expected.`);
  await showDay('2031-03-02');

  dispatch(filterPicked('departed'));
  tell(`Back on the day: ${read(visitsShown).length} visits have departed.`);

  dispatch(shiftEnded());
  tell('The shift ends; the note and the picked visit are cleared.');
}
