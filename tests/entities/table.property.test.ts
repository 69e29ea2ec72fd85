import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { applyPatch, createRuntime, selector, store, type Patch, parseSnapshot, snapshotText } from 'floe';
import { tableOf, type Table } from 'floe/entities';
import { recording } from 'floe/trace';
import { leastLength, longMode, runs } from '../support/runs.js';

interface Row {
  n: number;
  tags: string[];
}
interface State {
  rows: Table<Row>;
}
type Model = [key: string, row: Row][];

const kinds = [
  'set',
  'set',
  'edit',
  'edit',
  'delete',
  'readd',
  'same',
  'undone',
  'clear',
  'many',
  'back',
  'swap',
  'tail',
];
const oddKeys = ['__proto__', 'constructor', '7', '10', '9', 'a/b', 'c~d', ''];
const someKey = fc.oneof(
  fc.constantFrom(...oddKeys),
  fc.nat(60).map((n) => `v${n}`),
);
const allKeys = [...oddKeys, ...Array.from({ length: 100 }, (_, n) => `v${n}`)];
const someOperation = fc.record({ kind: fc.constantFrom(...kinds), key: someKey, other: someKey, n: fc.nat(99) });
type Operation = typeof someOperation extends fc.Arbitrary<infer T> ? T : never;

type Rows = Pick<Map<string, Row>, 'get' | 'has' | 'set' | 'delete' | 'clear' | 'keys'>;

/** The same on a draft of a table and on a native Map. */
function edit(rows: Rows, { kind, key, other, n }: Operation): void {
  switch (kind) {
    case 'set':
    case 'undone':
      rows.set(key, { n, tags: [] });
      break;
    case 'edit': {
      const row = rows.get(key);
      if (row) {
        row.n = n;
        row.tags.push(other);
      }
      break;
    }
    case 'delete':
      rows.delete(key);
      break;
    case 'readd': {
      const row = rows.get(key);
      rows.delete(key);
      if (row) rows.set(key, row);
      break;
    }
    case 'same': {
      const row = rows.get(key);
      if (row) rows.set(key, { n: row.n, tags: [...row.tags] });
      break;
    }
    case 'clear':
      if (n < 15) rows.clear();
      if (n < 8) rows.set(key, { n, tags: [] });
      break;
    case 'many':
      for (let i = 0; i < n; i++) rows.set(`v${i}`, { n: i, tags: [] });
      for (let i = 0; i < n; i += 3) rows.delete(`v${i}`);
      break;
    case 'tail': {
      // The last rows, taken out and put back as they were.
      const last = [...rows.keys()].slice(-1 - (n % 4)).map((one) => [one, rows.get(one)!] as const);
      for (const [one] of last) rows.delete(one);
      for (const [one, row] of last) rows.set(one, row);
      break;
    }
    case 'swap': {
      const [a, b] = [rows.get(key), rows.get(other)];
      if (a && b) {
        rows.set(key, b);
        rows.set(other, a);
        a.n++;
      }
      break;
    }
  }
}

const copyOf = (model: Model): Map<string, Row> =>
  new Map(model.map(([key, { n, tags }]) => [key, { n, tags: [...tags] }]));

test('a table does what a native Map does, in every version that is kept', () => {
  const tally: Record<string, number> = {};
  fc.assert(
    fc.property(fc.array(someOperation, { minLength: leastLength, maxLength: 60 }), someKey, (program, watchedKey) => {
      const port = store('port', (): State => ({ rows: tableOf() }));
      const edited = port.action('edited', ({ rows }, operation: Operation) =>
        edit(rows as unknown as Rows, operation),
      );
      const failed = port.action('failed', ({ rows }, operation: Operation) => {
        edit(rows as unknown as Rows, operation);
        throw new Error('on purpose');
      });
      const runtime = createRuntime({ stores: [port], trace: recording() });
      const now = (): Table<Row> => runtime.read(port).rows;

      let ranFor = { row: 0, keys: 0, size: 0 };
      const row = selector('row', (read) => (ranFor.row++, read(port).rows.get(watchedKey)));
      const there = selector('there', (read) => read(port).rows.has(watchedKey));
      const keys = selector('keys', (read) => (ranFor.keys++, [...read(port).rows.keys()]));
      const size = selector('size', (read) => (ranFor.size++, read(port).rows.size));
      const sum = selector('sum', (read) => [...read(port).rows.values()].reduce((total, { n }) => total + n, 0));

      const versions: { readonly table: Table<Row>; readonly model: Model }[] = [];
      let model: Model = [];
      const agree = (table: Table<Row>, wanted: Model): void => {
        if (JSON.stringify([...table]) !== JSON.stringify(wanted)) expect([...table]).toEqual(wanted);
        if (table.size !== wanted.length) expect(table.size).toBe(wanted.length);
        const map = new Map(wanted);
        for (const key of allKeys)
          if (table.has(key) !== map.has(key) || table.get(key)?.n !== map.get(key)?.n)
            expect([key, table.get(key)]).toEqual([key, map.get(key)]);
      };
      const check = (): void => {
        agree(now(), model);
        expect(runtime.read(row)).toBe(now().get(watchedKey));
        expect(runtime.read(there)).toBe(model.some(([key]) => key === watchedKey));
        expect(runtime.read(keys)).toEqual(model.map(([key]) => key));
        expect(runtime.read(size)).toBe(model.length);
        expect(runtime.read(sum)).toBe(model.reduce((total, [, { n }]) => total + n, 0));
      };
      check();
      for (const operation of program) {
        const { kind, n } = operation;
        tally[kind] = (tally[kind] ?? 0) + 1;
        const [table, before] = [now(), model];
        versions.push({ table, model });
        ranFor = { row: 0, keys: 0, size: 0 };
        if (kind === 'back') {
          // A look at the past, and on from there: versions of one table go different ways.
          const { cursor } = runtime.trace;
          runtime.trace.seek(runtime.trace.steps[n % runtime.trace.steps.length].seq);
          model = Array.from(now(), ([key, { n, tags }]) => [key, { n, tags: [...tags] }]);
          const past = versions.find((version) => version.table === now());
          if (past) agree(now(), past.model);
          if (n % 2) runtime.trace.seek(cursor);
          if (n % 2) model = before;
          check();
          continue;
        }
        if (kind === 'undone') expect(() => runtime.dispatch(failed(operation))).toThrow('on purpose');
        else {
          const map = copyOf(model);
          edit(map, operation);
          model = [...map];
          const same = JSON.stringify(model) === JSON.stringify(before);
          expect(runtime.dispatch(edited(operation))).toBe(same ? 'unchanged' : 'applied');
          const step = runtime.trace.steps.at(-1)!;
          if (same) expect(now()).toBe(table);
          // What did not change keeps its identity, and patches lead there and back.
          for (const [key, old] of table) {
            const is = now().get(key);
            if (is !== old && JSON.stringify(is) === JSON.stringify(old)) expect(is).toBe(old);
          }
          if (!same) {
            const whole = (rows: Table<Row>): object => ({ port: { rows } });
            const rowsOf = (document: object, patch: Patch): Table<Row> =>
              (applyPatch(document, patch) as { port: State }).port.rows;
            agree(rowsOf(whole(table), step.changes), model);
            agree(rowsOf(whole(now()), step.undo), before);
          }
        }
        check();
        const changed = (look: (of: Model) => unknown): boolean =>
          JSON.stringify(look(before)) !== JSON.stringify(look(model));
        const limits = {
          row: changed((of) => of.find(([key]) => key === watchedKey)),
          keys: changed((of) => of.map(([key]) => key)),
          size: changed((of) => of.length),
        };
        for (const [name, may] of Object.entries(limits))
          if (!may && ranFor[name as 'row'] > 0) expect(`${name} ran`).toBe('not at all');
      }
      for (const { table, model: then } of versions) {
        agree(table, then);
        expect(tableOf(then)).toEqual(table);
      }
      const again = createRuntime({ stores: [port], initial: parseSnapshot(snapshotText(runtime)) });
      expect(again.read(port)).toEqual(runtime.read(port));
    }),
    { numRuns: runs(150) },
  );
  if (longMode) console.log('operations:', tally);
});

const tablePatch: fc.Arbitrary<Patch> = fc.array(
  fc
    .record({
      op: fc.constantFrom('add', 'replace', 'replace', 'field', 'field', 'remove', 'copy', 'copyTable', 'move'),
      table: fc.constantFrom('a', 'b'),
      key: fc.constantFrom('v1', 'v2', 'v3', 'v4'),
      n: fc.nat({ max: 9 }),
      before: fc.option(fc.constantFrom('v1', 'v2'), { nil: undefined }),
    })
    .map(({ op, table, key, n, before }): Patch[number] => {
      const [path, other] = [`/${table}/${key}`, table === 'a' ? 'b' : 'a'];
      if (op === 'field') return { op: 'replace', path: `${path}/n`, value: n };
      if (op === 'remove') return { op, path };
      if (op === 'copyTable') return { op: 'copy', from: `/${other}`, path: `/${table}` };
      if (op === 'copy' || op === 'move') return { op, from: `/${other}/${key}`, path };
      if (op === 'replace') return { op, path, value: { n, tags: [] } };
      return { op: 'add', path, value: { n, tags: [key] }, ...(before !== undefined && { before }) };
    }),
  { maxLength: 30 },
);

test('a patch of several tables as one leads where its operations lead one by one, and touches nothing that was there', () => {
  type Two = { readonly a: Table<Row>; readonly b: Table<Row> };
  const said = ({ a, b }: Two): string => JSON.stringify([[...a], [...b]]);
  fc.assert(
    fc.property(tablePatch, (patch) => {
      const row = (n: number): Row => ({ n, tags: [] });
      const begin: Two = { a: tableOf([['v1', row(1)], ['v2', row(2)]]), b: tableOf([['v2', row(3)], ['v3', row(4)]]) }; // prettier-ignore
      const was = said(begin);
      let [oneByOne, failed] = [begin, -1];
      const passed: Two[] = [begin];
      for (const [i, operation] of patch.entries()) {
        try {
          oneByOne = applyPatch(oneByOne, [operation]);
          passed.push(oneByOne);
        } catch {
          failed = i;
          break;
        }
      }
      const texts = passed.map(said);
      if (failed < 0) expect(said(applyPatch(begin, patch))).toBe(said(oneByOne));
      else expect(() => applyPatch(begin, patch)).toThrow(`Operation ${failed} `);
      expect(said(applyPatch(begin, patch.slice(0, passed.length - 1)))).toBe(texts.at(-1));
      expect(said(begin)).toBe(was);
      expect(passed.map(said)).toEqual(texts);
    }),
    { numRuns: runs(300) },
  );
});
