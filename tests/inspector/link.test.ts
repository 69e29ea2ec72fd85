// The link: what both kinds of ends respond with, that each message is plain JSON of the documented shape, and what stays
// behind.
import { afterEach, describe, expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { readFileSync } from 'node:fs';
import { createRuntime, store } from 'floe';
import { memoryStorage, type Persistence } from 'floe/persist';
import { readTrace } from 'floe/trace';
import type { LinkMessage } from '../../src/inspector/ends/index.js';
import { Asking, channelPair, linkRecording, linkRuntime, RecordedHistory } from '../../src/inspector/ends/index.js';
import { linked, openPort, settle, toFile, toRuntime } from './port.js';
import { until } from '../support/eventually.js';

const schema = JSON.parse(readFileSync('docs/schemas/link-message.schema.json', 'utf8')) as {
  $defs: { request: { properties: { method: { enum: string[] } } } };
};
const fits = new Ajv2020({ strict: true, strictRequired: false, strictTypes: false }).compile(schema);
const crossed: LinkMessage[] = [];

afterEach(() => {
  for (const message of crossed.splice(0)) {
    expect(JSON.parse(JSON.stringify(message))).toEqual(message);
    expect({ message, fits: fits(message), errors: fits.errors }).toMatchObject({ fits: true });
  }
});

/** A session in which everything happens that steps can tell of. */
async function shift() {
  const port = openPort();
  const { runtime, click, assignBerth, answers, noted, failing, shut, ticked } = port;
  click('Assign', () => void runtime.run(assignBerth('v1', 'N2')).catch(() => undefined));
  answers[0].confirm();
  await settle();
  click('Assign', () => void runtime.run(assignBerth('v2', 'N2')).catch(() => undefined));
  answers[1].refuse('N2 is dredged until noon');
  await settle();
  click('Fail', () => expect(() => runtime.dispatch(failing())).toThrow());
  runtime.dispatch(ticked());
  runtime.dispatch(noted('power at N1 is out'));
  runtime.dispatch(shut());
  runtime.dispatch(shut());
  return port;
}

const ends = {
  'a running application': async () => {
    const port = await shift();
    const link = toRuntime(port.runtime);
    return { ...link, port };
  },
  'a recording': async () => {
    const port = await shift();
    const link = await toFile(port.runtime.trace.export());
    return { ...link, port };
  },
};

describe.each(Object.entries(ends))('%s', (_name, open) => {
  test('the link gives the status of the session', async () => {
    const { ask, messages, port } = await open();
    const status = await ask('status', {});
    const { steps } = port.runtime.trace;
    expect(status).toMatchObject({
      steps: steps.length,
      firstSeq: 0,
      lastSeq: steps.at(-1)!.seq,
      problems: 2,
      folded: null,
    });
    crossed.push(...messages);
  });

  test('the link gives one step whole', async () => {
    const { ask, messages, port } = await open();
    const failed = port.runtime.trace.steps.find(({ outcome }) => outcome === 'failed')!;
    const step = await ask('step', { seq: failed.seq });
    expect(step).toMatchObject({ label: 'log.failing', outcome: 'failed', changes: [], excludable: true });
    expect(step.reason).toContain('the ink is dry');
    expect(step.stack).toContain('port.ts');
    const assigned = port.runtime.trace.steps.find(({ action }) => action?.type === 'port.berthAssigned')!;
    const detail = await ask('step', { seq: assigned.seq });
    expect(detail).toMatchObject({
      label: 'gave Corran Bell berth N2',
      payload: { text: '{ id: "v1", berth: "N2" }' },
      changes: [{ label: 'visit v1 · berth', before: { text: 'W2' }, after: { text: 'N2' } }],
    });
    crossed.push(...messages);
  });

  test('gives windows of the state, marked with what differs', async () => {
    const { ask, messages, port } = await open();
    const assigned = port.runtime.trace.steps.find(({ action }) => action?.type === 'port.berthAssigned')!;
    const { seq } = assigned;
    const { pointers } = await ask('changed', { seq, since: seq });
    expect(pointers).toEqual(['/port/visit/v1/berth']);
    const { parts } = await ask('parts', {
      of: { in: 'state', seq, pointer: '/port/visit/v1' },
      from: 0,
      count: 9,
      since: seq,
    });
    expect(parts.map(({ key, changed, value, before }) => [key, changed, before?.text, value.text])).toEqual([
      ['id', undefined, undefined, 'v1'],
      ['vessel', undefined, undefined, 'Corran Bell'],
      ['berth', 'replaced', 'W2', 'N2'],
    ]);
    expect((await ask('text', { of: { in: 'payload', seq, pointer: '/berth' } })).text).toBe('"N2"');
    crossed.push(...messages);
  });

  test('gives the rows of a table, field by field, those that are asked for first in front', async () => {
    const { ask, messages, port } = await open();
    const assigned = port.runtime.trace.steps.find(({ action }) => action?.type === 'port.berthAssigned')!;
    const { seq } = assigned;
    const { columns, rows, total } = await ask('rows', {
      seq,
      pointer: '/port/visit',
      from: 0,
      count: 9,
      since: seq,
      first: ['v2'],
    });
    expect([columns, total]).toEqual([['id', 'vessel', 'berth'], 2]);
    expect(
      rows.map(({ key, changed, cells }) => [
        key,
        changed,
        cells.map((cell) => `${cell?.before?.text ?? ''} ${cell?.value.text}`),
      ]),
    ).toEqual([
      ['v2', undefined, [' v2', ' Stout Idris', ' N1']],
      ['v1', 'inside', [' v1', ' Corran Bell', 'W2 N2']],
    ]);
    expect(await ask('rows', { seq, pointer: '/log', from: 0, count: 9 })).toEqual({ columns: [], total: 0, rows: [] });
    crossed.push(...messages);
  });

  test('tells who changed a value, and why', async () => {
    const { ask, messages } = await open();
    const { lastSeq } = await ask('status', {});
    const { entries, more } = await ask('history', { pointer: '/port/visit/v1/berth', seq: lastSeq!, count: 10 });
    expect(more).toBe(false);
    expect(
      entries.map(({ before, after, because }) => [before?.text, after?.text, because.split('; ')[0].slice(4)]),
    ).toEqual([
      ['W2', 'N2', expect.stringContaining('click on “Assign” gave Corran Bell berth N2')],
      [undefined, 'W2', 'application took in visit v1 and v2'],
    ]);
    crossed.push(...messages);
  });

  test('finds steps by value, store, outcome and cause', async () => {
    const { ask, messages } = await open();
    const labels = async (query: object): Promise<string[]> =>
      (await ask('find', { ...query, count: 50 })).found.map(({ label }) => label);
    expect(await labels({ text: 'power N1' })).toEqual(['log.noted']);
    expect(await labels({ outcome: 'problem' })).toEqual(['log.failing', 'assign a berth, run 3, failed']);
    expect(await labels({ store: 'log', outcome: 'applied' })).toContain('log.shut');
    expect((await labels({ cause: 'run 1' })).length).toBeGreaterThan(1);
    expect(await labels({ text: 'there is no such thing' })).toEqual([]);
    const first = await ask('find', { count: 3 });
    const second = await ask('find', { count: 3, before: first.next! });
    expect(second.found[0].seq).toBeLessThan(first.found.at(-1)!.seq);
    crossed.push(...messages);
  });

  test('gives the file of its history, and tests from it', async () => {
    const { ask, messages, port } = await open();
    const texts: string[] = [];
    for (let from: number | null = 0; from !== null;) {
      const part: { text: string; next: number | null } = await ask('export', { from });
      texts.push(part.text);
      from = part.next;
    }
    const file = readTrace(texts.join(''));
    expect(file.steps.map(({ seq }) => seq)).toEqual(port.runtime.trace.steps.map(({ seq }) => seq));
    expect(file.interactions).toEqual(port.runtime.trace.interactions);
    const { firstSeq, lastSeq } = await ask('status', {});
    const { text } = await ask('writeTest', { from: firstSeq! + 3, to: lastSeq!, model: './model.js' });
    expect(text).toContain("from './model.js'");
    const noted = file.steps.findLast(({ action }) => action?.type === 'log.noted')!;
    expect((await ask('code', { seq: noted.seq, as: 'code' })).text).toBe(
      "runtime.dispatch({ type: 'log.noted', payload: 'power at N1 is out' });",
    );
    crossed.push(...messages);
  });

  test('draws time in a bounded number of marks, in order and inside of the width', async () => {
    const { ask, messages } = await open();
    const { moments } = await ask('status', {});
    for (const window of [{}, { around: moments - 1 }, { around: 0 }]) {
      const drawn = await ask('timeline', { width: 600, moment: 2, ...window });
      for (const lane of drawn.lanes.keys()) {
        const xs = drawn.marks.filter((mark) => mark.lane === lane && !mark.chosen).map(({ x }) => x);
        expect(xs).toEqual([...xs].sort((a, b) => a - b));
        for (const x of xs) expect(x >= 0 && x <= 600).toBe(true);
      }
      expect(drawn.lanes.map(({ name }) => name)).not.toContain('port.assignBerth.status');
    }
    crossed.push(...messages);
  });

  test('the link refuses an unknown request, and continues', async () => {
    const { ask, messages } = await open();
    await expect(ask('step', { seq: 9999 })).rejects.toMatchObject({ code: 'FLOE_NO_SUCH_STEP' });
    await expect(ask('cook' as 'hello', { version: 1 })).rejects.toThrow("This end does not know the method 'cook'.");
    expect((await ask('status', {})).steps).toBeGreaterThan(0);
    crossed.push(...messages.filter((message) => !('method' in message && message.method === 'cook')));
  });
});

test('the schema names every method of the protocol', () => {
  const methods = Array.from(
    /export interface Methods \{([^]*?)\n\}/
      .exec(readFileSync('src/inspector/protocol/protocol.ts', 'utf8'))![1]
      .matchAll(/^ {2}(\w+): \{/gm),
    ([, name]) => name,
  );
  expect(schema.$defs.request.properties.method.enum.toSorted()).toEqual(methods.sort());
});

describe('a running application', () => {
  test('notifies of changes, of many at once', async () => {
    const { runtime, noted } = openPort();
    const { ask, notified, end } = toRuntime(runtime);
    await ask('hello', { version: 1 });
    for (let i = 0; i < 500; i++) runtime.dispatch(noted(`note ${i}`));
    await until(() => notified.at(-1)?.steps === runtime.trace.steps.length);
    expect(notified.length).toBeLessThan(10);
    end();
    runtime.dispatch(noted('unheard'));
    await new Promise((resolve) => setTimeout(resolve, 60));
    expect(notified.at(-1)?.steps).toBe(runtime.trace.steps.length - 1);
  });

  test('observes what followed a step: what was computed and for what, who was notified, what was stored', async () => {
    const { runtime, noted, shut, notesShown } = openPort({}, { storage: memoryStorage(new Map(), { writeAfter: 5 }) });
    const { ask, messages } = toRuntime(runtime);
    runtime.watch(notesShown, () => undefined);
    runtime.dispatch(noted('a'));
    runtime.dispatch(shut());
    const { persistence } = runtime as unknown as { readonly persistence: Persistence };
    await until(() => persistence.pending.length === 0);
    await new Promise((resolve) => setTimeout(resolve, 5));
    const seqs = runtime.trace.steps.slice(-2).map(({ seq }) => seq);
    const [first, second] = await Promise.all(seqs.map((seq) => ask('step', { seq })));
    expect(first.observed).toMatchObject({
      computed: [{ name: 'log.shown', outcome: 'changed', before: { text: '0' }, after: { text: '1' } }],
      forNothing: 0,
      notified: 1,
      stored: [{ store: 'log' }],
    });
    expect(second.observed).toMatchObject({ computed: [], notified: 0 });
    const initial = await ask('step', { seq: 0 });
    expect(initial.observed).toBeNull();
    crossed.push(...messages);
  });

  test('lists derived values with their cost, what they depend on and who uses them', async () => {
    const { runtime, noted, log } = openPort();
    const long = log.selector('long', (state) => state.notes.filter((note) => note.length > 3).length);
    const count = log.selector(
      'countOf',
      (state, letter: string) => state.notes.filter((note) => note.includes(letter)).length,
    );
    const { ask, messages } = toRuntime(runtime);
    runtime.watch(long, () => undefined);
    runtime.watch(count('a'), () => undefined);
    runtime.watch(count('b'), () => undefined);
    runtime.dispatch(noted('abc'));
    const { seq } = runtime.trace.steps.at(-1)!;
    const { groups } = await ask('derived', { sort: 'name', since: seq, to: seq });
    expect(groups.map((group) => [group.name, group.count, group.computed, group.forNothing, group.changed])).toEqual([
      ['log.countOf', 2, 4, 0, true],
      ['log.long', 1, 2, 1, false],
    ]);
    const { items } = await ask('derivedOf', { name: 'log.countOf', from: 0, count: 10 });
    expect(items.map(({ arguments: args, value }) => [args, value?.text]).sort()).toEqual([
      ['a', '1'],
      ['b', '1'],
    ]);
    const one = (await ask('derivedOne', { id: groups[1].only!.id }))!;
    expect(one.dependsOn.map(({ pointer }) => pointer)).toContain('/log/notes');
    expect(one.watchers).toBe(1);
    expect((await ask('parts', { of: { in: 'derived', id: one.id, pointer: '' }, from: 0, count: 5 })).total).toBe(0);
    crossed.push(...messages);
  });

  test('leaves a step out, and says what comes to something else', async () => {
    const { runtime, noted, log } = openPort();
    const closing = log.action('closing', (draft) => {
      if (draft.notes.length === 0) throw new Error('nothing is written');
      draft.open = false;
    });
    const { ask, messages } = toRuntime(runtime);
    runtime.dispatch(noted('a'));
    const { seq } = runtime.trace.steps.at(-1)!;
    runtime.dispatch(closing());
    const without = await ask('exclude', { seq });
    expect(without).toMatchObject({
      excluded: true,
      otherCount: 1,
      others: [{ label: 'log.closing', outcome: 'failed' }],
    });
    expect(without.changes.map(({ label }) => label).sort()).toEqual(['log · notes', 'log · open']);
    const again = await ask('include', { seq });
    expect(again).toMatchObject({ excluded: false, otherCount: 1, others: [{ outcome: 'applied' }] });
    await expect(ask('exclude', { seq: 0 })).rejects.toMatchObject({ code: 'FLOE_NOT_EXCLUDABLE' });
    crossed.push(...messages);
  });

  test('sends an action, refuses text that is not JSON, and moves the page', async () => {
    const { runtime, log } = openPort();
    const { ask, messages } = toRuntime(runtime);
    const sent = await ask('send', { type: 'log.noted', payload: '"by hand"' });
    expect(sent).toEqual({ outcome: 'applied', seq: runtime.trace.steps.at(-1)!.seq });
    expect(runtime.read(log).notes).toEqual(['by hand']);
    expect((await ask('moment', {}))?.sentence).toBe('You, in this inspector, dispatched log.noted');
    await expect(ask('send', { type: 'log.noted', payload: 'by hand' })).rejects.toMatchObject({
      code: 'FLOE_BAD_PAYLOAD',
    });
    await ask('show', { seq: 1 });
    expect(await ask('status', {})).toMatchObject({ cursor: 1, isLive: false });
    expect(runtime.read(log).notes).toEqual([]);
    await ask('live', {});
    expect(runtime.read(log).notes).toEqual(['by hand']);
    crossed.push(...messages);
  });

  test('marks links of rows, and who links to a row', async () => {
    const { runtime } = openPort();
    const { ask, messages } = toRuntime(runtime);
    const { seq } = runtime.trace.steps.at(-1)!;
    const row = await ask('parts', { of: { in: 'state', seq, pointer: '/port/visit/v1' }, from: 0, count: 9 });
    expect(row.parts.find(({ key }) => key === 'berth')?.link).toEqual({
      type: 'berth',
      key: 'W2',
      pointer: '/port/berth/W2',
    });
    const berths = await ask('parts', { of: { in: 'state', seq, pointer: '/port/berth' }, from: 0, count: 9 });
    expect(berths.parts.map(({ key, linkedBy }) => [key, linkedBy])).toEqual([
      ['N1', 1],
      ['N2', undefined],
      ['W2', 1],
    ]);
    expect(await ask('linkedBy', { seq, pointer: '/port/berth/W2' })).toEqual({
      rows: [{ label: 'visit v1 · berth', pointer: '/port/visit/v1' }],
      total: 1,
    });
    crossed.push(...messages);
  });

  test('never sends what is redacted, whatever is asked', async () => {
    const secret = 'open-sesame-4711';
    const { runtime, keyed, log, click, noted } = openPort({
      redact: { state: ['/log/key'], actions: { 'log.keyed': [''] } },
    });
    const shown = log.selector('keyShown', (state) => `the key is ${state.key}`);
    const whole = log.selector('whole', (state) => ({ ...state }));
    const { ask, messages } = toRuntime(runtime);
    runtime.watch(shown, () => undefined);
    runtime.watch(whole, () => undefined);
    click(`Use ${secret}`, () => runtime.dispatch(keyed(secret)));
    click(`Use ${secret}`, () => runtime.dispatch(noted('after')));
    const { lastSeq, moments } = await ask('status', {});
    const seq = lastSeq!;
    for (let number = 0; number < moments; number++) await ask('moment', { number });
    for (let at = 0; at <= seq; at++) await ask('step', { seq: at });
    await ask('parts', { of: { in: 'state', seq, pointer: '/log' }, from: 0, count: 9, since: 0 });
    await ask('history', { pointer: '/log/key', seq, count: 9 });
    await ask('find', { text: secret, count: 9 });
    const { groups } = await ask('derived', { sort: 'took' });
    for (const { only } of groups) {
      if (!only) continue;
      await ask('derivedOne', { id: only.id });
      await ask('parts', { of: { in: 'derived', id: only.id, pointer: '' }, from: 0, count: 9 });
      await ask('text', { of: { in: 'derived', id: only.id, pointer: '' } });
    }
    await ask('export', { from: 0 });
    await ask('writeTest', { from: 2, to: seq, model: './model.js' }).catch(() => undefined);
    const asked = messages.filter((message) => !('method' in message && 'id' in message));
    expect(JSON.stringify(asked)).not.toContain(secret);
    expect(groups.map(({ name }) => name)).toContain('log.keyShown');
    crossed.push(...messages);
  });

  test('without a trace says so, and how to record one', async () => {
    const runtime = createRuntime({ stores: [store('log', { notes: [] })] });
    const { ask, messages } = linked((channel) => linkRuntime(runtime as never, channel, { name: 'no trace' }));
    expect((await ask('status', {})).problem).toMatchObject({ code: 'FLOE_NO_TRACE' });
    expect(await ask('moment', {})).toBeNull();
    crossed.push(...messages);
  });
});

describe('a recording', () => {
  test('that was cut short is shown as far as it goes, and says so', async () => {
    const { runtime } = await shift();
    const text = runtime.trace.export();
    const { ask } = await toFile(text.slice(0, text.lastIndexOf('"seq"') + 20));
    const status = await ask('status', {});
    expect(status.problem).toMatchObject({ code: 'FLOE_TRACE_CUT_SHORT' });
    expect(status.steps).toBeGreaterThan(5);
  });

  test('of a newer version, or no trace at all, is refused with its code', async () => {
    const newer = await toFile('{"floe":"trace","version":99,"written":"2031-03-02T00:00:00.000Z"}\n');
    expect((await newer.ask('status', {})).problem).toMatchObject({ code: 'FLOE_TRACE_TOO_NEW' });
    const none = await toFile('name,berth\nCorran Bell,N4\n');
    expect((await none.ask('status', {})).problem).toMatchObject({ code: 'FLOE_NOT_A_TRACE' });
  });
});

test('states that are kept beside those asked for last are right after steps were folded, and after steps became others', async () => {
  const { runtime, noted, log } = openPort({ limit: 40 });
  const { ask } = toRuntime(runtime);
  const count = async (seq: number): Promise<number> =>
    (await ask('parts', { of: { in: 'state', seq, pointer: '/log/notes' }, from: 0, count: 1 })).total;
  for (let i = 0; i < 200; i++) {
    runtime.dispatch(noted(`note ${i}`));
    const { steps } = runtime.trace;
    for (const step of [steps.at(-1)!, steps[1], steps[steps.length >> 1], steps[2] ?? steps[0]]) {
      const { notes } = runtime.trace.stateAt(step.seq).log as { notes: unknown[] };
      expect(await count(step.seq)).toBe(notes.length);
    }
  }
  const { steps } = runtime.trace;
  const middle = steps[steps.length >> 1].seq;
  const before = await count(middle + 3);
  runtime.trace.exclude(middle);
  expect(await count(middle + 3)).toBe(before - 1);
  expect(runtime.read(log).notes).toHaveLength(199);
});

test('a state that is asked for as soon as an earlier one was there is found too', async () => {
  const { runtime, noted } = openPort();
  for (let i = 0; i < 3000; i++) runtime.dispatch(noted(`note ${i}`));
  const recorded = new RecordedHistory();
  await recorded.read(runtime.trace.export());
  for (const position of [1000, 2000, 2900]) {
    await recorded.states.ready(position);
    expect(recorded.states.near).toBeGreaterThanOrEqual(position);
  }
});

test('an interaction that arrives after its steps takes them into its moment', async () => {
  const { runtime, click, noted } = openPort();
  click('Note', () => void runtime.dispatch(noted('low water')));
  const lines = runtime.trace.export().trimEnd().split('\n');
  const isInteraction = (line: string): boolean => line.startsWith('{"interaction"');
  const recorded = new RecordedHistory();
  const [ours, theirs] = channelPair();
  linkRecording(recorded, theirs, { name: 'a shift' });
  const link = new Asking(ours, () => undefined);
  await recorded.lines(lines.filter((line) => !isInteraction(line)));
  expect(await link.ask('moment', {})).toMatchObject({ by: 'code' });
  await recorded.lines(lines.filter(isInteraction));
  const moment = await link.ask('moment', {});
  expect(moment).toMatchObject({ by: 'user' });
  expect(moment?.sentence).toMatch(/click/);
});
