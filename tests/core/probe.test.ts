// What an inspector learns of derived values and watchers.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, selector, store } from 'floe';
import { liveSources, observeIn } from '../../src/core/features/live.js';
import { hostOf } from '../../src/core/kernel/attachment.js';

function harbour() {
  const berths = store('berths', { list: [{ id: 'N1', free: true }], day: '2031-03-02' });
  const added = berths.action('added', (draft, berth: { id: string; free: boolean }) => {
    draft.list.push(berth);
  });
  const dayChosen = berths.action('dayChosen', (draft, day: string) => {
    draft.day = day;
  });
  const free = berths.selector('free', ({ list }) => list.filter((one) => one.free).length);
  const isFull = selector('isFull', (read, least: number) => read(free) < least);
  const runtime = createRuntime({ stores: [berths] });
  return { berths, added, dayChosen, free, isFull, runtime };
}

/** Notes what a probe reports, by name. */
function observed(runtime: object) {
  const host = hostOf(runtime);
  const reported: string[] = [];
  const nameOf = (reader: object): string => liveSources(host).find((one) => one.reader === reader)?.name ?? '?';
  const end = observeIn(host, {
    computed: (reader, { outcome, before, after, took }) => {
      if (!(took >= 0)) throw new Error('no time');
      reported.push(`${nameOf(reader)} ${outcome}: ${String(before)}, ${String(after)}`);
    },
    notified: (reader) => reported.push(`${nameOf(reader)} notified`),
  });
  return { reported, end };
}

describe('a probe', () => {
  test('learns what is computed, for nothing too, and which watchers are notified, until it ends', () => {
    const { runtime, free, isFull, added, dayChosen } = harbour();
    const { reported, end } = observed(runtime);
    runtime.watch(isFull(2), () => undefined);
    expect(reported.splice(0)).toEqual(['berths.free first: undefined, 1', 'isFull first: undefined, true']);
    runtime.dispatch(added({ id: 'N2', free: false }));
    expect(reported.splice(0)).toEqual(['berths.free same: 1, 1']);
    runtime.dispatch(added({ id: 'N3', free: true }));
    expect(reported.splice(0)).toEqual(['berths.free changed: 1, 2', 'isFull changed: true, false', 'isFull notified']);
    runtime.dispatch(dayChosen('2031-03-03'));
    expect(reported.splice(0)).toEqual([]);
    end();
    runtime.dispatch(added({ id: 'N4', free: true }));
    expect([reported, runtime.read(free)]).toEqual([[], 3]);
  });

  test('learns of errors, and of its own runtime only, however many there are', () => {
    const [one, other] = [harbour(), harbour()];
    const broken = one.berths.selector('broken', ({ day }) => {
      if (day === '') throw new Error('no day');
      return day;
    });
    const first = observed(one.runtime);
    const second = observed(one.runtime);
    const others = observed(other.runtime);
    one.runtime.watch(broken, () => undefined, { onError: () => undefined });
    one.runtime.dispatch(one.dayChosen(''));
    const expected = [
      'berths.broken first: undefined, 2031-03-02',
      'berths.broken failed: 2031-03-02, Error: no day',
      'berths.broken notified',
    ];
    expect([first.reported, second.reported, others.reported]).toEqual([expected, expected, []]);
    for (const { end } of [first, second, others]) end();
  });
});

describe('what is live', () => {
  test('a live source is listed without being computed', () => {
    const { runtime, isFull, added, berths } = harbour();
    let runs = 0;
    const counted = berths.selector('counted', ({ list }) => {
      runs++;
      return list.length + ('N2' in Object.fromEntries(list.map(({ id }) => [id, id])) ? 100 : 0);
    });
    runtime.watch(isFull(2), () => undefined);
    expect(runtime.read(counted)).toBe(1);
    runtime.dispatch(added({ id: 'N2', free: true }));
    const all = liveSources(hostOf(runtime));
    expect(
      all.map(({ kind, name, args, status, value, readers, watchers }) => [
        ...[kind, name, args, status, value, readers, watchers],
      ]),
    ).toEqual(
      expect.arrayContaining([
        ['selector', 'isFull', [2], 'current', false, 0, 1],
        ['selector', 'berths.free', [], 'current', 2, 1, 0],
        ['selector', 'berths.counted', [], 'stale', 1, 0, 0],
      ]),
    );
    expect(runs).toBe(1);
    const [full] = all.filter(({ name }) => name === 'isFull');
    const [first] = full!.dependencies();
    expect(first).toMatchObject({ kind: 'source', source: { name: 'berths.free' } });
    const [free] = all.filter(({ name }) => name === 'berths.free');
    const places = free!
      .dependencies()
      .map((one) => (one.kind === 'place' ? `${one.store} ${one.pointer} ${one.aspect}` : one.source.name));
    expect(places).toEqual(expect.arrayContaining(['berths /list/length value', 'berths /list/0/free value']));
    expect(places.every((one) => one.startsWith('berths '))).toBe(true);
  });
});
