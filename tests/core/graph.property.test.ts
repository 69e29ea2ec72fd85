import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { currentReader, Facet, note, Port, Reader, unnoted } from '../../src/core/reactive/graph.js';
import { leastLength, longMode, runs } from '../support/runs.js';

/** A place that can be read; counts how often it was left by its last reader. */
class Leaf extends Port {
  left = 0;
  override unused(): void {
    this.left++;
  }
}

/** Reads what its list says, and gives the sum of what is there. */
class Sum extends Reader {
  ran = 0;
  stales = 0;
  left = 0;
  sources: readonly (Leaf | Sum)[] = [];
  constructor(
    readonly name: string,
    private readonly values: ReadonlyMap<Leaf, number>,
  ) {
    super();
  }
  protected derive(): number {
    this.ran++;
    expect(currentReader()).toBe(this);
    let sum = 0;
    for (const one of this.sources) {
      if (one instanceof Sum) sum += one.get() as number;
      else {
        note(one);
        // What is read without being noted is no dependency.
        unnoted(() => note(this.aside));
        sum += this.values.get(one)!;
      }
    }
    if (sum % 5 === 4) throw new RangeError('four');
    return sum;
  }
  readonly aside = new Leaf();
  protected override becameStale(): void {
    this.stales++;
  }
  override unused(): void {
    this.left++;
  }
}

const someList = fc.array(fc.nat(9), { maxLength: 5 });
const someOperation = fc.record({
  kind: fc.constantFrom('value', 'value', 'reads', 'get', 'get', 'end', 'same'),
  n: fc.nat(9),
  list: someList,
  value: fc.nat(4),
});

test('dependencies: attached while read by the last run and not longer, run once and only for a reason', () => {
  const tally: Record<string, number> = {};
  fc.assert(
    fc.property(
      fc.array(someList, { minLength: 5, maxLength: 5 }),
      fc.array(someOperation, { minLength: Math.min(leastLength, 25), maxLength: 40 }),
      (lists, program) => {
        const values = new Map<Leaf, number>();
        const leaves = Array.from({ length: 5 }, (_, i) => {
          const leaf = new Leaf();
          values.set(leaf, i % 3);
          return leaf;
        });
        const sums: Sum[] = [];
        /** Those of which something may be another value since all were asked last. */
        const wasStale = new Set<Sum>();
        const ended = new Set<Sum>();
        // A sum reads leaves, and sums made before it.
        const all = (upTo: number): (Leaf | Sum)[] => [...leaves, ...sums.slice(0, upTo)];
        const pick = (list: readonly number[], upTo: number): (Leaf | Sum)[] =>
          list.map((n) => all(upTo)[n % all(upTo).length]);
        for (const [i, list] of lists.entries()) {
          sums.push(new Sum(`s${i}`, values));
          sums[i].sources = pick(list, i);
        }
        /** What the last run of each read; absent before the first run and after the end. */
        const wasRead = new Map<Sum, Set<Leaf | Sum>>();
        const wanted = (one: Leaf | Sum): number | 'four' => {
          if (one instanceof Leaf) return values.get(one)!;
          let sum = 0;
          for (const part of one.sources) {
            const value = wanted(part);
            if (value === 'four') return 'four';
            sum += value;
          }
          return sum % 5 === 4 ? 'four' : sum;
        };
        const valueOf = (sum: Sum): unknown => {
          try {
            return sum.get();
          } catch (error) {
            expect(error).toBeInstanceOf(RangeError);
            return 'four';
          }
        };
        /** What a run reads until it throws. */
        const readBy = (sum: Sum): Set<Leaf | Sum> => {
          const seen = new Set<Leaf | Sum>();
          for (const one of sum.sources) {
            seen.add(one);
            if (one instanceof Sum && wanted(one) === 'four') break;
          }
          return seen;
        };
        const check = (): void => {
          for (const one of [...leaves, ...sums]) {
            const read = [...wasRead.values()].some((seen) => seen.has(one));
            if (one.read !== read)
              expect(`${one.constructor.name} read: ${one.read}`).toBe(`${one.constructor.name} read: ${read}`);
          }
          for (const sum of sums) expect(sum.aside.read).toBe(false);
          expect(currentReader()).toBeUndefined();
        };
        for (const { kind, n, list, value } of program) {
          tally[kind] = (tally[kind] ?? 0) + 1;
          const leaf = leaves[n % leaves.length];
          const sum = sums[n % sums.length];
          const readBefore = new Map([...leaves, ...sums].map((one) => [one, { read: one.read, left: one.left }]));
          const ranBefore = sums.map((one) => one.ran);
          if (kind === 'value') {
            const same = values.get(leaf) === value;
            values.set(leaf, value);
            if (!same) leaf.mark();
            if (!same) for (const one of sums) wasStale.add(one);
            expect(sums.map((one) => one.ran)).toEqual(ranBefore);
          } else if (kind === 'same') {
            // A mark without a reason: its direct readers run again, and no others.
            leaf.mark();
            for (const [i, one] of sums.entries()) {
              if (!wasRead.has(one)) continue;
              expect(valueOf(one)).toBe(wanted(one));
              const may = [...wasRead.get(one)!].some(
                (part) => part === leaf || (part instanceof Sum && wanted(part) === 'four'),
              );
              if (!may && wasStale.size === 0) expect(one.ran).toBe(ranBefore[i]);
            }
          } else if (kind === 'reads') {
            sum.sources = pick(list, sums.indexOf(sum)).filter((one) => !ended.has(one as Sum));
            sum.stale(2);
            wasStale.add(sum);
          } else if (kind === 'end') {
            // As the runtime does: only what is not read and will not be.
            if (sum.read || sums.some((one) => one.sources.includes(sum))) continue;
            // Asked again it answers, but it reads nothing for longer than that.
            sum.end();
            ended.add(sum);
            wasRead.delete(sum);
          } else {
            expect(valueOf(sum)).toBe(wanted(sum));
            for (const [i, one] of sums.entries())
              if (!ended.has(one)) expect(one.ran - ranBefore[i]).toBeLessThanOrEqual(1);
          }
          for (const [i, one] of sums.entries())
            if (one.ran > ranBefore[i] && !ended.has(one)) wasRead.set(one, readBy(one));
          if (kind === 'same') wasStale.clear();
          check();
          // A reader that lost its last reader was notified of that once, and no other was.
          for (const [one, { read, left }] of readBefore) {
            const told = one.left - left;
            // One that has ended reads for a moment whenever it is asked.
            if (ended.size > 0) expect(told).toBeGreaterThanOrEqual(read && !one.read ? 1 : 0);
            // It may pass from one reader to another.
            else if (read && one.read) expect(told).toBeLessThanOrEqual(1);
            else expect(told).toBe(read ? 1 : 0);
          }
        }
      },
    ),
    { numRuns: runs(300) },
  );
  if (longMode) console.log('operations:', tally);
});

test('what one port stands for is told when the port is left', () => {
  const owner = new Leaf();
  const port = new Facet(owner);
  const values = new Map<Leaf, number>();
  const [a, b] = [new Sum('a', values), new Sum('b', values)];
  port.attach(a);
  port.attach(a);
  port.attach(b);
  port.detach(a);
  expect([port.read, owner.left]).toEqual([true, 0]);
  port.detach(a);
  port.detach(b);
  expect([port.read, owner.left]).toEqual([false, 1]);
});

test('a change is told once until the value is asked for', () => {
  const values = new Map<Leaf, number>();
  const leaf = new Leaf();
  values.set(leaf, 1);
  const sum = new Sum('sum', values);
  const above = new Sum('above', values);
  sum.sources = [leaf];
  above.sources = [sum];
  expect(above.get()).toBe(1);
  const before = [sum.stales, above.stales];
  leaf.mark();
  leaf.mark(1);
  leaf.mark();
  expect([sum.stales - before[0], above.stales - before[1]]).toEqual([1, 1]);
  // The value came out the same: whoever read it does not run.
  const { ran } = above;
  expect(above.get()).toBe(1);
  expect([sum.ran, above.ran]).toEqual([2, ran]);
  leaf.mark(1);
  expect(above.get()).toBe(1);
  expect(sum.ran).toBe(2);
});
