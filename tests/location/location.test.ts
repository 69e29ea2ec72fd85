import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store } from 'floe';
import { decimal, flag, linkAddress, location, oneOf, text, whole, type AddressBar } from 'floe/location';
import { recording } from 'floe/trace';

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

  test('what href writes, parse reads', () => {
    fc.assert(
      fc.property(
        fc.record({
          id: fc.string({ minLength: 1, unit: 'grapheme' }),
          number: fc.integer(),
          day: fc.option(fc.string({ unit: 'grapheme' }), { nil: undefined }),
          depth: fc.option(fc.double({ noNaN: true, noDefaultInfinity: true }), { nil: undefined }),
          fragment: fc.string(),
        }),
        ({ id, number, day, depth, fragment }) => {
          const to = { at: 'service', params: { id, number }, query: { day, depth }, fragment } as const;
          const place = address.parse(address.href(to));
          // A zero has no sign in an address.
          const query = { ...(day !== undefined && { day }), ...(depth !== undefined && { depth: depth + 0 }) };
          expect(place).toEqual({ at: 'service', params: { id, number }, query, fragment, others: '' });
          expect(address.hrefOf(place)).toBe(address.href(to));
        },
      ),
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

  test('going somewhere adds an entry, which keeps what else stands in the query; the same place adds none', () => {
    const { address, browser, runtime, go } = open();
    go('v8');
    go('v8');
    runtime.dispatch(address.went({ at: 'board', replace: true }));
    expect(browser.entries).toEqual(['/harbour/visits/v7?delay=800', '/harbour/?delay=800']);
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

  test('where an interceptor stops the user, or leads elsewhere, the browser follows; later, when it was let through', () => {
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
    expect(browser.entries).toEqual(['/harbour/visits/v7', '/harbour/visits/v7']);
    browser.type('/harbour/visits/asked');
    expect(browser.own.now()).toBe('/harbour/visits/v7');
    letThrough();
    expect(browser.own.now()).toBe('/harbour/visits/asked');
    browser.type('/harbour/visits/moved');
    expect(browser.own.now()).toBe('/harbour/');
    expect(browser.entries).toHaveLength(4);
  });

  test('unlinked, or closed, both go their own ways', () => {
    const { browser, unlink, go } = open();
    unlink();
    go('v8');
    expect([browser.entries.length, browser.listeners.size]).toEqual([1, 0]);
    const other = open();
    other.runtime.close();
    expect(other.browser.listeners.size).toBe(0);
  });
});
