// A store of tables is a store: its own actions, selectors, snapshots, traces and copies.
import { describe, expect, test } from '@jest/globals';
import { copyOf, at, createRuntime, selector, store, task, type Optimistic, parseSnapshot, snapshotText } from 'floe';
import { tableOf, tables } from 'floe/entities';
import { memoryStorage } from 'floe/persist';
import { recording } from 'floe/trace';
import { failure } from '../support/failures.js';
import { operator, started, vessel, visit } from './port.js';

describe('a store of tables is a store', () => {
  test('selectors depend on the rows that they read', () => {
    const { port, runtime } = started();
    let ran = 0;
    const name = port.selector('name', (state, hull: string) => (ran++, state.vessel.get(hull)?.name));
    const names = selector('names', (read) => [...read(port).vessel].map(([key, row]) => `${key} ${row.name}`));
    expect(runtime.read(name('h1'))).toBe('Ern');
    expect(runtime.read(names)).toEqual(['h1 Ern']);
    runtime.dispatch(port.put(vessel, { hull: 'h2', name: 'Skua', operator: null }));
    expect([runtime.read(name('h1')), ran]).toEqual(['Ern', 1]);
    expect(runtime.read(names)).toEqual(['h1 Ern', 'h2 Skua']);
  });

  test('snapshots, trace files and storages keep tables, with their order', () => {
    const { port, runtime } = started();
    runtime.dispatch(
      port.put(operator, [
        { id: '10', name: 'Ten' },
        { id: '9', name: 'Nine' },
      ]),
    );
    const server = createRuntime({ stores: [port], initial: parseSnapshot(snapshotText(runtime)) });
    expect(server.read(port)).toEqual(runtime.read(port));
    expect([...server.read(port).operator.keys()]).toEqual(['o1', '10', '9']);
    const other = createRuntime({ stores: [port], trace: recording() });
    other.trace.import(runtime.trace.export());
    expect(other.read(port)).toEqual(runtime.read(port));

    const kept = tables('kept', [operator]).persisted();
    const storage = memoryStorage();
    const first = createRuntime({ stores: [kept], storage });
    first.dispatch(kept.put(operator, { id: 'o1', name: 'Tern Line' }));
    void first.persistence.flush();
    expect(createRuntime({ stores: [kept], storage }).read(kept)).toEqual(first.read(kept));
  });

  test('a table may be a whole state, stand in a list, or in a row of a table', () => {
    const crews = store('crews', () =>
      tableOf([['day', { members: tableOf([['7', 'Ada']]), tables: [tableOf([['x', 1]])] }]]),
    );
    const joined = crews.action('joined', (draft, name: string) => {
      const row = draft.get('day')!;
      row.members.set(8, name);
      row.tables[0].set('x', 2);
      row.tables.push(tableOf([['y', 3]]) as never);
      draft.set('night', { members: row.members, tables: [] } as never);
    });
    const runtime = createRuntime({ stores: [crews], trace: recording() });
    const names = selector('names', (read) => [...(read(crews).get('day')?.members.values() ?? [])]);
    const sizes = selector('sizes', (read) =>
      read(crews)
        .get('day')
        ?.tables.map((table) => table.size),
    );
    expect([runtime.read(names), runtime.read(sizes)]).toEqual([['Ada'], [1]]);
    const before = runtime.read(crews);
    runtime.dispatch(joined('Bo'));
    expect([runtime.read(names), runtime.read(sizes)]).toEqual([
      ['Ada', 'Bo'],
      [1, 1],
    ]);
    expect(runtime.read(at(crews, '/day/tables/0/x'))).toBe(2);
    expect([...runtime.read(crews).get('night')!.members]).toEqual([
      ['7', 'Ada'],
      ['8', 'Bo'],
    ]);
    expect(runtime.trace.steps.at(-1)!.changes).toContainEqual({
      op: 'add',
      path: '/crews/day/members/8',
      value: 'Bo',
    });
    runtime.trace.back();
    expect(runtime.read(crews)).toEqual(before);
    runtime.dispatch(crews.action('emptied', () => tableOf())() as never);
    expect(runtime.read(names)).toEqual([]);
  });

  test('drafts and tracking proxies in a new table become what they stand for', () => {
    const thing = store('thing', () => ({ row: { n: 1 }, table: tableOf<{ n: number }>(), more: [{ n: 5 }] }));
    const tabled = thing.action('tabled', (draft) => {
      const inner = tableOf([['inner', draft.more[0]]]);
      const table = tableOf([
        ['same', draft.row],
        ['edited', draft.more[0]],
        ['new', { n: 3 }],
      ]);
      draft.more[0].n = 6;
      return { row: draft.row, table, more: [...draft.more, { n: inner.size }] } as never;
    });
    const put = thing.action('put', (draft) => {
      (draft as { table: unknown }).table = tableOf([['row', draft.row]]);
      draft.row.n = 9;
    });
    const runtime = createRuntime({ stores: [thing], onProblem: () => undefined });
    expect(failure(() => runtime.dispatch(tabled())).code).toBe('FLOE_EDITED_AND_RETURNED');
    runtime.dispatch(put());
    expect(runtime.read(thing)).toMatchObject({ row: { n: 9 } });
    expect(runtime.read(thing).table.get('row')).toEqual({ n: 9 });
    const byName = thing.selector('byName', (state) => tableOf(state.more.map((row) => [`r${row.n}`, row])));
    expect(runtime.read(byName).get('r5')).toBe(runtime.read(thing).more[0]);
  });

  test('a copy has its own tables, actions and sources', () => {
    const { port, runtime } = started();
    const archive = copyOf(port, 'archive');
    runtime.dispatch(archive.ingest(visit, [{ id: 'v9', vessel: 'h1', services: [] }]));
    expect(archive.put(operator, { id: 'o', name: '' }).type).toBe('archive.put');
    expect([...runtime.read(archive).visit.keys()]).toEqual(['v9']);
    expect(runtime.read(port).visit.has('v9')).toBe(false);
    expect(runtime.read(archive.one(visit, 'v9'))?.id).toBe('v9');
  });

  test('tables compare by their rows in tests', () => {
    const table = tableOf([
      ['a', { n: 1 }],
      [7, { n: 2 }],
    ]);
    expect(table).toEqual(
      tableOf([
        ['a', { n: 1 }],
        ['7', { n: 2 }],
      ]),
    );
    expect(table).not.toEqual(
      tableOf([
        ['7', { n: 2 }],
        ['a', { n: 1 }],
      ]),
    );
    expect(table).not.toEqual(
      tableOf([
        ['a', { n: 1 }],
        ['7', { n: 3 }],
      ]),
    );
    expect(JSON.stringify(table)).toBe('{"7":{"n":2},"a":{"n":1}}');
    expect(table.get(7)).toBe(table.get('7'));
  });
});

describe('the rules at the links', () => {
  const gone = (port: ReturnType<typeof started>['port']) =>
    port.action('gone', ({ visit: visits, service: services }, key: string) => {
      visits.delete(key);
      services.delete(key);
    });

  test('link rules hold in recomputed steps and in reverts', async () => {
    const { port, runtime } = started();
    const served = port.action('served', (draft, key: string) => {
      draft.service.set(key, { id: key, kind: 'tug' });
      draft.visit.get('v1')!.services = [key];
    });
    const dropped = gone(port);
    runtime.dispatch(port.put(visit, { ...runtime.read(port.one(visit, 'v2'))!, services: ['s2'] }));
    runtime.dispatch(served('s2'));
    const named = runtime.trace.cursor;
    runtime.dispatch(dropped('s2'));
    expect([...runtime.read(port).visit.values()].map(({ services }) => services)).toEqual([[], []]);
    runtime.trace.exclude(named);
    // There was no s2 to remove: what linked to it stays as it came.
    expect([...runtime.read(port).visit.values()].map(({ services }) => services)).toEqual([['s1'], ['s2']]);
    runtime.trace.include(named);
    expect([...runtime.read(port).visit.values()].map(({ services }) => services)).toEqual([[], []]);

    let taken: Optimistic | undefined;
    const trying = task('trying', async ({ optimistic, next }) => {
      taken = optimistic(served('s3'));
      await next(dropped);
    });
    void runtime.run(trying());
    runtime.dispatch(dropped('s3'));
    await Promise.resolve();
    taken!.revert();
    expect([...runtime.read(port).visit.values()].map(({ services }) => services)).toEqual([[], []]);
  });

  test('count rows that a change removes and puts back, or unlinks itself, as no removal', () => {
    const { port, runtime } = started();
    const again = port.action('again', ({ operator: operators, service: services, visit: visits }) => {
      const row = operators.get('o1')!;
      operators.delete('o1');
      operators.set('o1', { ...row, name: 'Tern' });
      services.delete('s1');
      for (const one of visits.values()) one.services = one.services.filter((key) => key !== 's1');
    });
    runtime.dispatch(again());
    expect(runtime.read(port.one(vessel, 'h1'))!.operator).toBe('o1');
    expect(runtime.read(port.one(operator, 'o1'))!.name).toBe('Tern');
  });

  test('tell interceptors what is declared about the ready-made actions', () => {
    const asked: unknown[] = [];
    const about = { remove: { confirm: 'Remove it for good?' }, ingest: { quiet: true } };
    const kept = tables('kept', [operator], { about });
    const runtime = createRuntime({
      stores: [kept],
      interceptors: [(_action, { about: reported, proceed }) => (asked.push(reported), proceed())],
    });
    runtime.dispatch(kept.ingest(operator, { id: 'o1', name: 'Tern Line' }));
    runtime.dispatch(kept.remove(operator, 'o1'));
    runtime.dispatch(kept.clear());
    expect(asked).toEqual([about.ingest, about.remove, undefined]);
    expect(failure(() => tables('kept', [operator], { about: { remov: {} } } as never)).message).toContain("'remove'");
  });
});

// A data set that was not made for this: countries, with what they share as records inside them.
