import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { action, copyOf, createRuntime, store, task } from 'floe';
import { decimal, flag, linkAddress, location, oneOf, text, whole, type AddressBar } from 'floe/location';
import { recording } from 'floe/trace';
import { runs } from '../support/runs.js';

const declare = () =>
  location('address', {
    paths: { board: '/', visit: '/visits/:id', service: '/visits/:id/services/:number' },
    query: { day: text, filter: oneOf('all', 'expected'), page: whole, depth: decimal, open: flag },
    params: { number: whole },
    base: '/harbour',
  });

/** A browser's bar with its history, as the HTML standard has it. */
function bar(start: string) {
  const entries = [start];
  let at = 0;
  const listeners = new Set<() => void>();
  const move = (to: number): void => {
    at = to;
    for (const listener of listeners) listener();
  };
  const own: AddressBar = {
    now: () => entries[at],
    show(url, how) {
      if (how === 'push') entries.splice(++at, Infinity, url);
      else entries[at] = url;
    },
    watch(listener) {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    position: () => at,
    go: (distance) => move(at + distance),
  };
  return {
    own,
    entries,
    listeners,
    back: () => move(at - 1),
    forward: () => move(at + 1),
    type(url: string) {
      entries.splice(++at, Infinity, url);
      move(at);
    },
  };
}

describe('addresses and places', () => {
  const address = declare();
  test.each([
    ['/harbour', { at: 'board', params: {}, query: {}, fragment: '', others: '' }],
    ['/harbour/', { at: 'board' }],
    ['/harbour/visits/v%207/', { at: 'visit', params: { id: 'v 7' } }],
    [
      '/harbour/visits/v7/services/3?page=2&open=yes#crew',
      { at: 'service', params: { id: 'v7', number: 3 }, query: { page: 2, open: true }, fragment: 'crew' },
    ],
    ['/harbour/visits/v7/services/three', { at: null, params: { url: '/harbour/visits/v7/services/three' } }],
    ['/elsewhere', { at: null, params: { url: '/elsewhere' } }],
    ['/harbour/visits/%E0%A4%A', { at: null }],
    [
      '/harbour?page=1.5&filter=none&depth=-4.25&delay=800&delay=900',
      { at: 'board', query: { depth: -4.25 }, others: 'delay=800&delay=900' },
    ],
  ])('%s', (url, place) => {
    expect(address.parse(url)).toMatchObject(place);
  });

  // Separated by spaces, which are none of them themselves.
  const hard = fc.constantFrom(
    ...['', ' ', '\t', '\n//x', '\uD800', 'x\uDC00y', '\uDC00\uD800'],
    ...'. .. ~ ~. ~~ ~new new a/b %2F % ? # \\ // /. __proto__ + &= é 👍 7 0x10 javascript:alert(1)'.split(' '),
  );
  const someText = fc.oneof(hard, hard, fc.string({ unit: 'binary' }), fc.string());
  const someUrl = fc.oneof(
    fc.constantFrom(
      ...['/\t/evil.example', '', '/harbour/visits/~new'],
      ...'//evil.example/x /\\evil.example \\\\evil.example http://evil.example'.split(' '),
      ...'/harbourage /harbour/../x /harbour/./visits/v7 /./..//x /%2e%2e//z /harbour//visits//v7'.split(' '),
      ...'/#a%23b /x?day=%ED%A0%80 /harbour?page=0x10 /harbour?depth=0x10 ?a #'.split(' '),
    ),
    fc.tuple(fc.constantFrom('', '/', '//', '/harbour', '/harbour/'), someText).map((parts) => parts.join('')),
  );
  const hardPlaces = () =>
    location('address', {
      paths: {
        board: '/',
        fresh: '/visits/new',
        visit: '/visits/:id',
        service: '/visits/:id/services/:number',
        any: '/:a/:b',
      },
      query: { day: text, filter: oneOf('all', 'expected'), page: whole, depth: decimal, open: flag },
      params: { number: whole },
      base: '/harbour',
    });

  test('every state is what its address says, and no address leads elsewhere', () => {
    const origin = 'https://harbour.example';
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(
            fc.record({ do: fc.constant('visit' as const), id: someText, fragment: someText, day: someText }),
            fc.record({
              do: fc.constant('service' as const),
              id: someText,
              number: fc.integer(),
              depth: fc.double({ noNaN: true, noDefaultInfinity: true }),
            }),
            fc.record({ do: fc.constant('any' as const), a: someText, b: someText }),
            fc.record({ do: fc.constant('user' as const), url: someUrl }),
            fc.record({
              do: fc.constant('query' as const),
              day: fc.option(someText, { nil: undefined }),
              page: fc.option(fc.integer(), { nil: undefined }),
            }),
            fc.record({ do: fc.constant('draft' as const), text: someText }),
          ),
          { minLength: 1, maxLength: 6 },
        ),
        (program) => {
          const address = hardPlaces();
          const edited = address.action('edited', (draft, to: string) => {
            draft.fragment = to;
            if (draft.at === null) draft.params.url = to;
          });
          const runtime = createRuntime({ stores: [address] });
          const browser = bar('/harbour/');
          linkAddress(runtime, address, browser.own);
          for (const one of program) {
            if (one.do === 'visit')
              runtime.dispatch(
                address.went({ at: 'visit', params: { id: one.id }, fragment: one.fragment, query: { day: one.day } }),
              );
            else if (one.do === 'service')
              runtime.dispatch(
                address.went({
                  at: 'service',
                  params: { id: one.id, number: one.number },
                  query: { depth: one.depth },
                }),
              );
            else if (one.do === 'any') runtime.dispatch(address.went({ at: 'any', params: { a: one.a, b: one.b } }));
            else if (one.do === 'query') runtime.dispatch(address.queryChanged({ day: one.day, page: one.page }));
            else if (one.do === 'draft') runtime.dispatch(edited(one.text));
            else {
              // As a browser understands a link of this site.
              let url: URL;
              try {
                url = new URL(one.url, `${origin}/harbour/`);
              } catch {
                continue;
              }
              if (url.origin !== origin) continue;
              browser.type(url.pathname + url.search + url.hash);
            }
            const state = runtime.read(address);
            const href = address.hrefOf(state);
            expect(address.parse(href)).toEqual(state);
            const shown = new URL(href, `${origin}/somewhere/deep`);
            expect(shown.origin).toBe(origin);
            expect(address.parse(shown.pathname + shown.search + shown.hash)).toEqual(state);
            if (one.do === 'visit')
              expect(state).toMatchObject({
                at: 'visit',
                params: { id: (one.id as unknown as { toWellFormed(): string }).toWellFormed() },
              });
          }
          // What was parsed of anything at all is a state, too.
          for (const one of program)
            if (one.do === 'user') {
              const place = address.parse(one.url);
              expect(address.parse(address.hrefOf(place))).toEqual(place);
              expect(new URL(address.hrefOf(place), origin).origin).toBe(origin);
            }
        },
      ),
      { numRuns: runs(600) },
    );
  });

  test.each([
    [{ at: 'visit', params: { id: undefined } }, "parameter 'id'"],
    [{ at: 'visit' }, "parameter 'id'"],
    [{ at: 'vist', params: { id: 'v7' } }, "Did you mean 'visit'"],
    [{ at: 'service', params: { id: 'v7', number: 1.5 } }, "parameter 'number'"],
    [{ at: 'board', query: { filter: 'none' } }, "query 'filter'"],
    [{ at: 'board', query: { page: Number.NaN } }, "query 'page'"],
  ])('%j is no place', (to, hint) => {
    const runtime = createRuntime({ stores: [address] });
    const before = runtime.read(address);
    for (const use of [() => address.href(to as never), () => runtime.dispatch(address.went(to as never))])
      expect(use).toThrow(
        expect.objectContaining({
          code: 'FLOE_BAD_PLACE',
          message: expect.stringContaining(hint) as unknown as string,
        }),
      );
    expect(runtime.read(address)).toBe(before);
  });

  test.each(['harbour', '//evil.example', '/a/../b', '/a?b'])('%s is refused as a base', (base) => {
    expect(() => location('bad', { paths: { one: '/' }, base })).toThrow(
      expect.objectContaining({ code: 'FLOE_BAD_PATH' }),
    );
  });

  test.each(['visits', '/visits/:', '/:id/and/:id'])('%s is refused as a path', (path) => {
    expect(() => location('bad', { paths: { one: path } })).toThrow(expect.objectContaining({ code: 'FLOE_BAD_PATH' }));
  });
});

describe('a browser', () => {
  const open = (start = '/harbour/visits/v7?delay=800') => {
    const address = declare();
    const log = store('log', { note: '' });
    const noted = log.action('noted', (draft, note: string) => {
      draft.note = note;
    });
    const runtime = createRuntime({ stores: [address, log], trace: recording() });
    const browser = bar(start);
    const unlink = linkAddress(runtime, address, browser.own);
    return {
      address,
      noted,
      runtime,
      browser,
      unlink,
      go: (id: string) => runtime.dispatch(address.went({ at: 'visit', params: { id } })),
    };
  };

  test('the store begins where the browser is, as a step of the address', () => {
    const { address, runtime } = open();
    expect(runtime.read(address)).toMatchObject({ at: 'visit', params: { id: 'v7' } });
    expect(runtime.trace.steps.at(-1)).toMatchObject({ action: { type: 'address.went' }, cause: { by: 'address' } });
  });

  test('a new place adds an entry, and the same place adds none', () => {
    const { address, browser, runtime, go } = open();
    go('v8');
    go('v8');
    runtime.dispatch(address.went({ at: 'board', replace: true }));
    expect(browser.entries).toEqual(['/harbour/visits/v7?delay=800', '/harbour/?delay=800']);
  });

  test('each change of the address adds an entry, unless it replaces one', async () => {
    const { address, runtime, noted } = open('/harbour/');
    const { browser } = { browser: bar('/harbour/') };
    linkAddress(runtime, address, browser.own);
    const entries = (): number => browser.entries.length;
    const ended = action<{ replace: boolean }>('ended');
    const filtered = action<'all' | 'expected'>('filtered');
    address.when(ended, (draft) => void (draft.fragment = 'ended'));
    address.when(filtered, (draft, filter) => void (draft.query.filter = filter), { replace: true });
    const leave = task('leave', ({ dispatch }) => void dispatch(address.went({ at: 'board' })));
    runtime.dispatch(address.queryChanged({ day: '2031-03-02', page: 2 }));
    expect([browser.own.now(), entries()]).toEqual(['/harbour/?day=2031-03-02&page=2', 2]);
    runtime.dispatch(address.queryChanged({ page: undefined, filter: 'all' }, { replace: true }));
    expect([browser.own.now(), entries()]).toEqual(['/harbour/?day=2031-03-02&filter=all', 2]);
    runtime.dispatch(filtered('expected'));
    expect([browser.own.now(), entries()]).toEqual(['/harbour/?day=2031-03-02&filter=expected', 2]);
    // What another action says of replacing is its own affair.
    runtime.dispatch(ended({ replace: true }));
    expect([browser.own.now(), entries()]).toEqual(['/harbour/?day=2031-03-02&filter=expected#ended', 3]);
    await runtime.run(leave());
    expect([browser.own.now(), entries()]).toEqual(['/harbour/', 4]);
    runtime.dispatch(noted('nothing to do with it'));
    runtime.reset(address);
    expect(entries()).toBe(4);
    expect(() => address.queryChanged({ fliter: 'all' } as never)).toThrow("'filter'");
  });

  test("the user's back and forward are recorded, and add nothing", () => {
    const { address, browser, runtime, go } = open();
    go('v8');
    browser.back();
    expect(runtime.read(address).params).toEqual({ id: 'v7' });
    expect(runtime.trace.steps.at(-1)).toMatchObject({ cause: { by: 'address' } });
    browser.forward();
    expect(runtime.read(address).params).toEqual({ id: 'v8' });
    expect(browser.entries).toHaveLength(2);
  });

  test('rule 15: travel in time moves the address without adding entries', () => {
    const { browser, runtime, go, noted } = open();
    go('v8');
    runtime.dispatch(noted('Fog'));
    go('v9');
    runtime.trace.back();
    runtime.trace.back();
    expect(browser.own.now()).toBe('/harbour/visits/v8?delay=800');
    runtime.trace.live();
    expect(browser.own.now()).toBe('/harbour/visits/v9?delay=800');
    expect(browser.entries).toHaveLength(3);
    expect(runtime.trace.branches).toHaveLength(1);
  });

  test('rule 14: the user goes somewhere from the past: a branch begins there', () => {
    const { browser, runtime, go, address } = open();
    go('v8');
    go('v9');
    runtime.trace.back();
    browser.type('/harbour/visits/v1');
    expect(runtime.read(address).params).toEqual({ id: 'v1' });
    expect([runtime.trace.branches.length, runtime.trace.isLive]).toEqual([2, true]);
  });

  test('the browser follows an interceptor that stops or redirects the user', () => {
    const address = declare();
    let letThrough: () => void = () => undefined;
    const runtime = createRuntime({
      stores: [address],
      interceptors: [
        (sent, { proceed, stop }) => {
          const { id } = (sent.payload as { params: { id?: string } }).params;
          if (id === 'closed') stop();
          else if (id === 'moved') proceed(address.went({ at: 'board' }));
          else if (id === 'asked') letThrough = proceed;
          else proceed();
        },
      ],
    });
    const browser = bar('/harbour/visits/v7');
    linkAddress(runtime, address, browser.own);
    browser.type('/harbour/visits/closed');
    expect([browser.own.now(), browser.own.position!()]).toEqual(['/harbour/visits/v7', 0]);
    browser.type('/harbour/visits/asked');
    expect(browser.own.now()).toBe('/harbour/visits/v7');
    letThrough();
    expect([browser.own.now(), browser.own.position!()]).toEqual(['/harbour/visits/asked', 1]);
    browser.type('/harbour/visits/moved');
    expect(browser.own.now()).toBe('/harbour/');
    expect(browser.entries).toEqual(['/harbour/visits/v7', '/harbour/visits/asked', '/harbour/']);
  });

  test.each(['stopped', 'held'])('a "back" that is %s destroys no entry', (decision) => {
    const { address, runtime, browser, go } = open('/harbour/');
    for (const id of ['a', 'b', 'c']) go(id);
    let decide: (() => void) | undefined;
    const remove = runtime.addInterceptor('ask', (_sent, { proceed, stop }) => {
      if (decision === 'stopped') {
        stop();
        return;
      }
      decide = proceed;
    });
    browser.back();
    const all = ['/harbour/', '/harbour/visits/a', '/harbour/visits/b', '/harbour/visits/c'];
    expect([browser.entries, browser.own.now()]).toEqual([all, all[3]]);
    remove();
    if (decide) decide();
    else browser.back();
    expect([browser.entries, browser.own.now()]).toEqual([all, all[2]]);
    expect(runtime.read(address).params).toEqual({ id: 'b' });
  });

  test('where a bar knows no entries, the address of a refused one is replaced', () => {
    const address = declare();
    const { own, entries, back } = bar('/harbour/');
    const { now, show, watch } = own;
    const runtime = createRuntime({ stores: [address] });
    linkAddress(runtime, address, { now, show, watch });
    for (const id of ['a', 'b']) runtime.dispatch(address.went({ at: 'visit', params: { id } }));
    runtime.addInterceptor('stays', (_sent, { stop }) => stop());
    back();
    expect([own.now(), entries]).toEqual([
      '/harbour/visits/b',
      ['/harbour/', '/harbour/visits/b', '/harbour/visits/b'],
    ]);
  });

  test('a router may take its time, be overtaken, refuse and lead elsewhere', async () => {
    const address = declare();
    let now = '/harbour/';
    const listeners = new Set<() => void>();
    const tell = (): void => listeners.forEach((listener) => listener());
    const leads: Record<string, string> = { '/harbour/visits/gone': '/harbour/visits/new' };
    let latest = 0;
    const router: AddressBar = {
      now: () => now,
      show: async (url) => {
        const number = ++latest;
        // It says that it begins, and where it still is.
        tell();
        await Promise.resolve();
        if (url.endsWith('/closed')) throw new Error('closed');
        if (number !== latest) return;
        now = leads[url] ?? url;
        tell();
      },
      watch(listener) {
        listeners.add(listener);
        return () => listeners.delete(listener);
      },
    };
    const runtime = createRuntime({ stores: [address], trace: recording() });
    linkAddress(runtime, address, router);
    const go = (id: string) => runtime.dispatch(address.went({ at: 'visit', params: { id } }));
    const causes = (): string[] => runtime.trace.steps.slice(1).map(({ cause }) => cause.by);
    const settled = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

    // There and back before the router has begun to move.
    go('a');
    runtime.dispatch(address.went({ at: 'board' }));
    await settled();
    expect([now, runtime.read(address).at, causes()]).toEqual(['/harbour/', 'board', ['code', 'code']]);
    go('closed');
    await settled();
    expect([now, runtime.read(address).at]).toEqual(['/harbour/', 'board']);
    go('gone');
    await settled();
    expect([now, runtime.read(address).params]).toEqual(['/harbour/visits/new', { id: 'new' }]);
    expect(causes().slice(2)).toEqual(['code', 'address', 'code', 'address']);
    // In the past it shows where the user was, and stays there.
    runtime.trace.seek(1);
    await settled();
    expect([now, runtime.trace.cursor, runtime.trace.steps.length]).toEqual(['/harbour/visits/a', 1, 7]);
  });

  test('a bar that fails or leads elsewhere at once leaves the link as it was', () => {
    const { address, runtime, browser, unlink } = open('/harbour/');
    unlink();
    const { own } = browser;
    let fails = false;
    const leading: AddressBar = {
      ...own,
      show(url, how) {
        if (fails) throw new Error('too many entries');
        own.show(url.replace('gone', 'new'), how);
      },
    };
    linkAddress(runtime, address, leading);
    const go = (id: string) => runtime.dispatch(address.went({ at: 'visit', params: { id } }));
    go('a');
    fails = true;
    go('b');
    // What the user does is still followed, and so is where the bar leads.
    browser.back();
    expect([own.now(), runtime.read(address).at]).toEqual(['/harbour/', 'board']);
    fails = false;
    go('gone');
    expect([own.now(), runtime.read(address).params]).toEqual(['/harbour/visits/new', { id: 'new' }]);
  });

  test('a copy of an address is linked as one', () => {
    const address = declare();
    const filtered = action<'all' | 'expected'>('filtered');
    address.when(filtered, (draft, filter) => void (draft.query.filter = filter), { replace: true });
    const left = copyOf(address, 'left');
    const runtime = createRuntime({ stores: [address, left] });
    const browser = bar('/harbour/visits/v7');
    linkAddress(runtime, left, browser.own);
    runtime.dispatch(left.its(address.went)({ at: 'visit', params: { id: 'v8' } }));
    runtime.dispatch(filtered('expected'));
    expect(browser.entries).toEqual(['/harbour/visits/v7', '/harbour/visits/v8?filter=expected']);
    browser.back();
    expect([runtime.read(left).params, runtime.read(address).at]).toEqual([{ id: 'v7' }, 'board']);
    expect(() => linkAddress(runtime, store('log', { note: '' }) as never, browser.own)).toThrow('is no address');
  });

  test('an address that is unlinked follows the browser no longer', () => {
    const { browser, unlink, go } = open();
    unlink();
    go('v8');
    expect([browser.entries.length, browser.listeners.size]).toEqual([1, 0]);
    const other = open();
    void other.runtime.close();
    expect(other.browser.listeners.size).toBe(0);
  });
});
