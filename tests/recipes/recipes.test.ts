// Every recipe of the guide "Work over time", as it goes well and as it goes wrong: the office down, slow, in conflict,
// answering nonsense.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, store, type AnyStore, type Runtime } from 'floe';
import { memoryStorage, storageIn } from 'floe/persist';
import { handClock, testRuntime, type HandClock } from 'floe/testing';
import { readTrace } from 'floe/trace';
import * as load from '../../examples/recipes/src/load.js';
import * as notice from '../../examples/recipes/src/notice.js';
import { Conflict, office, type Office, type Visit } from '../../examples/recipes/src/office.js';
import * as outbox from '../../examples/recipes/src/outbox.js';
import * as polling from '../../examples/recipes/src/polling.js';
import * as removal from '../../examples/recipes/src/removal.js';
import * as saving from '../../examples/recipes/src/saving.js';
import * as search from '../../examples/recipes/src/search.js';
import * as signIn from '../../examples/recipes/src/sign-in.js';
import * as wizard from '../../examples/recipes/src/wizard.js';

type Mood = 'fine' | 'down' | 'slow' | 'in conflict' | 'nonsense';
const moods: readonly Mood[] = ['down', 'slow', 'in conflict', 'nonsense'];
/** What is said of each. */
const said: Record<Mood, RegExp> = {
  fine: /^$/,
  down: /cannot be reached/,
  slow: /does not respond/,
  'in conflict': /refuses/,
  nonsense: /response is no/,
};
const visit = (id: string): Visit => ({ id, vessel: `vessel of ${id}`, berth: 'N1' });

/** An office that responses after 200 ms, in the mood of the moment. */
function moodyOffice() {
  const asked: string[] = [];
  const state = { mood: 'fine' as Mood };
  let clock: HandClock;
  const response = async (what: string, value: unknown): Promise<unknown> => {
    asked.push(what);
    const { mood } = state;
    // What a page asks as it opens, it asks before `open` has returned.
    await Promise.resolve();
    await new Promise<void>((resolve) => clock.after(mood === 'slow' ? 60_000 : 200, resolve));
    if (mood === 'down') throw new Error('The office cannot be reached.');
    if (mood === 'in conflict') throw new Conflict('The office refuses.');
    return mood === 'nonsense' ? '<html>Welcome to the harbour</html>' : value;
  };
  const given: Office = {
    visits: (day) => response(`visits ${day}`, [visit(`${day}-1`)]),
    find: (text) => response(`find ${text}`, [visit(text)]),
    positions: () => response('positions', [{ hull: 'H1', north: asked.length + 1, east: 0 }]),
    plan: ({ vessel, berth }) => response(`plan ${vessel} ${berth}`, { id: 'v9', vessel, berth }),
    remove: (id) => response(`remove ${id}`, { removed: id }),
    signIn: (badge) => response(`sign in ${badge}`, { name: `Officer ${badge}` }),
    send: (note) => response(`send ${note}`, { received: note }),
  };
  const open = (stores: readonly AnyStore[], texts = new Map<string, string>()) => {
    const keeps = stores.some((one) => (one as { readonly kept?: unknown }).kept !== undefined);
    const runtime = testRuntime({
      stores,
      needs: [office.by(given)],
      ...(keeps && { storage: memoryStorage(texts) }),
    });
    clock = runtime.clock;
    return runtime;
  };
  return { asked, state, open };
}
const problemsOf = (runtime: { problems: readonly { error: unknown }[] }) =>
  runtime.problems.map(({ error }) => (error as Error).message);

describe('load', () => {
  const { loadVisits, shownVisits } = load;

  test('the list shows placeholders at first, stays while a newer one loads, and takes only the newest response', async () => {
    const { open } = moodyOffice();
    const runtime = open([load.visits]);
    void runtime.run(loadVisits('first')).catch(() => undefined);
    expect(runtime.read(shownVisits)).toMatchObject({ placeholders: true, refreshing: false, list: [] });
    await runtime.clock.advance(100);
    const run = runtime.run(loadVisits('second'));
    await runtime.clock.advance(200);
    await run;
    expect(runtime.read(shownVisits)).toEqual({ list: [visit('second-1')], placeholders: false, refreshing: false });
    void runtime.run(loadVisits('third'));
    expect(runtime.read(shownVisits)).toMatchObject({ list: [visit('second-1')], refreshing: true });
    await runtime.clock.advance(200);
    expect(runtime.read(shownVisits).list).toEqual([visit('third-1')]);
    expect(problemsOf(runtime)).toEqual([]);
  });

  test.each(moods)('the office %s: the old list stays, and it is said what is wrong', async (mood) => {
    const { open, state, asked } = moodyOffice();
    const runtime = open([load.visits]);
    void runtime.run(loadVisits('first'));
    await runtime.clock.advance(200);
    state.mood = mood;
    void runtime.run(loadVisits('second'));
    await runtime.clock.advance(60_000);
    expect(asked).toHaveLength(4);
    expect(runtime.read(shownVisits)).toMatchObject({ list: [visit('first-1')], refreshing: false });
    expect(runtime.read(shownVisits).problem).toMatch(said[mood]);
    expect(problemsOf(runtime)).toEqual([expect.stringMatching(said[mood])]);
    state.mood = 'fine';
    void runtime.run(loadVisits('second'));
    await runtime.clock.advance(200);
    expect(runtime.read(shownVisits)).toMatchObject({ list: [visit('second-1')] });
  });
});

describe('search', () => {
  const type = async (runtime: Runtime & { clock: HandClock }, text: string) => {
    for (let i = 1; i <= text.length; i++) {
      runtime.dispatch(search.textTyped(text.slice(0, i)));
      await runtime.clock.advance(100);
    }
  };

  test('the search asks when the typing pauses, and an old response never replaces a newer one', async () => {
    const { open, asked } = moodyOffice();
    const runtime = open([search.search]);
    await type(runtime, 'Ter');
    await runtime.clock.advance(250);
    expect(asked).toEqual(['find Ter']);
    await type(runtime, 'Skua');
    await runtime.clock.advance(600);
    expect(asked).toEqual(['find Ter', 'find Skua']);
    expect(runtime.read(search.search).found).toEqual([visit('Skua')]);
    runtime.dispatch(search.textTyped(' '));
    await runtime.clock.advance(300);
    expect([asked.length, runtime.read(search.search).found]).toEqual([2, []]);
  });

  test.each(moods)('the office %s: what was found stays, and the next search works', async (mood) => {
    const { open, state } = moodyOffice();
    const runtime = open([search.search]);
    await type(runtime, 'Tern');
    await runtime.clock.advance(600);
    state.mood = mood;
    await type(runtime, 'Skua');
    await runtime.clock.advance(60_000);
    expect(runtime.read(search.search).found).toEqual([visit('Tern')]);
    expect(runtime.read(search.lookUp.status)).toMatchObject({
      phase: 'failed',
      error: { message: expect.stringMatching(said[mood]) as unknown },
    });
    state.mood = 'fine';
    await type(runtime, 'Auk');
    await runtime.clock.advance(600);
    expect(runtime.read(search.search).found).toEqual([visit('Auk')]);
  });
});

describe('polling', () => {
  test('polling asks every four seconds until it is stopped', async () => {
    const { open, asked } = moodyOffice();
    const runtime = open([polling.positions]);
    const run = runtime.run(polling.followPositions());
    void run.catch(() => undefined);
    await runtime.clock.advance(10_000);
    expect(asked).toHaveLength(3);
    expect(runtime.read(polling.positions).byHull.H1.north).toBe(3);
    run.cancel();
    await runtime.clock.advance(10_000);
    expect(asked).toHaveLength(3);
    expect(runtime.clock.waiting).toBe(0);
  });

  test('the trace counts ignored actions in one step, with their changes', async () => {
    const clock = handClock();
    const given = { positions: () => Promise.resolve([{ hull: 'H1', north: clock.now(), east: 0 }]) } as never;
    const trace = polling.quietTrace();
    const runtime = createRuntime({ stores: [polling.positions], needs: [office.by(given)], clock, trace });
    const before = clock.now();
    void runtime.run(polling.followPositions()).catch(() => undefined);
    await clock.advance(39_000);
    expect(runtime.trace.steps.map(({ fact, count }) => [fact, count])).toEqual([
      ['initial', undefined],
      ['runStarted', undefined],
      ['summed', 10],
    ]);
    runtime.dispatch(polling.positionsMissed('fog'));
    await clock.advance(2000);
    expect(runtime.trace.steps.slice(2).map(({ fact, count }) => [fact, count])).toEqual([
      ['summed', 10],
      [undefined, undefined],
      ['summed', 1],
    ]);
    const northAt = (seq: number) =>
      ((runtime.trace.stateAt(seq).positions as { byHull: Record<string, { north: number } | undefined> }).byHull.H1
        ?.north ?? before) - before;
    expect(runtime.trace.steps.map(({ seq }) => northAt(seq))).toEqual([0, 0, 36_000, 36_000, 40_000]);
    runtime.trace.seek(1);
    await clock.advance(4000);
    expect(runtime.read(polling.positions).byHull).toEqual({});
    expect(runtime.trace.steps.at(-1)).toMatchObject({ fact: 'summed', count: 2 });
    runtime.trace.live();
    expect(runtime.read(polling.positions).byHull.H1.north - before).toBe(44_000);
    expect(readTrace(runtime.trace.export()).steps).toEqual(
      runtime.trace.steps.map((step) => ({ ...step, took: expect.any(Number) as unknown })),
    );
    void runtime.close();
  });

  test.each(moods)('the office %s: it is said, and the next positions are asked for nevertheless', async (mood) => {
    const { open, state } = moodyOffice();
    const runtime = open([polling.positions]);
    void runtime.run(polling.followPositions()).catch(() => undefined);
    await runtime.clock.advance(1000);
    state.mood = mood;
    await runtime.clock.advance(12_000);
    expect(runtime.read(polling.positions).problem).toMatch(said[mood]);
    expect(runtime.read(polling.positions).byHull.H1.north).toBe(1);
    state.mood = 'fine';
    await runtime.clock.advance(60_000);
    expect(runtime.read(polling.positions).problem).toBe(null);
    void runtime.close();
  });
});

describe('wizard', () => {
  const { planning, planVisit } = wizard;
  const begin = () => {
    const { open, state, asked } = moodyOffice();
    const runtime = open([planning]);
    const run = runtime.run(planVisit());
    const choose = async () => {
      runtime.dispatch(wizard.dayChosen('2031-03-02'));
      await runtime.clock.advance();
      runtime.dispatch(wizard.vesselChosen('Tern'));
      runtime.dispatch(wizard.berthChosen('N1'));
      await runtime.clock.advance();
    };
    const confirm = async (ms: number) => {
      runtime.dispatch(wizard.planConfirmed());
      await runtime.clock.advance(ms);
    };
    return { runtime, run, state, asked, choose, confirm, now: () => runtime.read(planning) };
  };

  test('the wizard plans a visit after three choices in any order and a yes', async () => {
    const { run, choose, confirm, now } = begin();
    await choose();
    expect(now()).toMatchObject({ step: 'confirm', plan: { vessel: 'Tern', berth: 'N1', day: '2031-03-02' } });
    await confirm(200);
    await run;
    expect(now()).toMatchObject({ step: 'planned', visit: { id: 'v9', berth: 'N1' } });
  });

  test('the wizard ends without a visit when the officer leaves', async () => {
    const early = begin();
    early.runtime.dispatch(wizard.vesselChosen('Tern'));
    early.runtime.dispatch(wizard.planLeft());
    await early.run;
    const late = begin();
    await late.choose();
    late.runtime.dispatch(wizard.planLeft());
    await late.run;
    const refused = begin();
    refused.state.mood = 'in conflict';
    await refused.choose();
    await refused.confirm(200);
    refused.runtime.dispatch(wizard.planLeft());
    await refused.run;
    expect([early, late, refused].map(({ now }) => now().step)).toEqual(['closed', 'closed', 'closed']);
    expect(refused.asked).toEqual(['plan Tern N1']);
  });

  test.each(moods)('the office %s: nothing that was chosen is lost', async (mood) => {
    const { runtime, run, state, asked, choose, confirm, now } = begin();
    await choose();
    state.mood = mood;
    await confirm(8000);
    expect(now()).toMatchObject({ step: mood === 'in conflict' ? 'other berth' : 'confirm', plan: { vessel: 'Tern' } });
    expect(now().problem).toMatch(said[mood]);
    state.mood = 'fine';
    if (mood === 'in conflict') {
      runtime.dispatch(wizard.berthChosen('S2'));
      await runtime.clock.advance();
    }
    await confirm(200);
    await run;
    expect(asked.at(-1)).toBe(mood === 'in conflict' ? 'plan Tern S2' : 'plan Tern N1');
    expect(now().step).toBe('planned');
    expect(problemsOf(runtime)).toEqual([]);
  });
});

describe('notice', () => {
  test('a notice shows itself for three seconds, can be dismissed, and gives way to a newer one', async () => {
    const { open } = moodyOffice();
    const runtime = open([notice.notices]);
    const shown = () => runtime.read(notice.notices).text;
    const show = (text: string) => void runtime.run(notice.showNotice(text)).catch(() => undefined);
    show('one');
    await runtime.clock.advance(2999);
    expect(shown()).toBe('one');
    await runtime.clock.advance(1);
    expect(shown()).toBe(null);
    show('two');
    runtime.dispatch(notice.noticeDismissed());
    await runtime.clock.advance(1000);
    show('three');
    await runtime.clock.advance(2500);
    show('four');
    await runtime.clock.advance(2500);
    expect(shown()).toBe('four');
    await runtime.clock.advance(500);
    expect([shown(), runtime.clock.waiting]).toEqual([null, 0]);
  });
});

describe('sign-in', () => {
  const stores = [signIn.officer, notice.notices];
  const shown = (runtime: Runtime) => [runtime.read(signIn.officer).name, runtime.read(notice.notices).text];

  test('the application keeps a badge, and signs in with it when the page opens again', async () => {
    const { open, asked } = moodyOffice();
    const texts = new Map<string, string>();
    const first = open(stores, texts);
    await first.clock.advance(200);
    expect(asked).toEqual([]);
    first.dispatch(signIn.badgeShown('B7'));
    await first.clock.advance(200);
    expect(shown(first)).toEqual(['Officer B7', 'Good watch, Officer B7.']);
    void first.close();
    const second = open(stores, texts);
    await second.clock.advance(200);
    expect(shown(second)).toEqual(['Officer B7', 'Good watch, Officer B7.']);
    await second.clock.advance(3000);
    expect(shown(second)).toEqual(['Officer B7', null]);
  });

  test.each(moods)('the office %s: no officer is signed in, and a notice says why', async (mood) => {
    const { open, state } = moodyOffice();
    state.mood = mood;
    const runtime = open(stores);
    runtime.dispatch(signIn.badgeShown('B7'));
    await runtime.clock.advance(mood === 'slow' ? 8000 : 200);
    expect(shown(runtime)).toEqual([null, expect.stringMatching(said[mood])]);
    // Only a refused badge is forgotten.
    expect(runtime.read(signIn.officer).badge).toBe(mood === 'in conflict' ? null : 'B7');
    expect(runtime.read(signIn.signIn.status).phase).toBe('failed');
  });
});

describe('undo after a removal', () => {
  const stores = [removal.board, notice.notices];
  const ids = (runtime: Runtime) => runtime.read(removal.board).visits.map(({ id }) => id);
  const begin = () => {
    const desk = moodyOffice();
    const runtime = desk.open(stores);
    for (const id of ['a', 'b', 'c']) runtime.dispatch(removal.visitAdded(visit(id)));
    return { ...desk, runtime };
  };

  test('an undone removal brings the visit back to its place', async () => {
    const { runtime, asked } = begin();
    void runtime.run(removal.removeVisit('b'));
    void runtime.run(removal.removeVisit('a'));
    runtime.dispatch(removal.visitAdded(visit('d')));
    expect([ids(runtime), runtime.read(removal.board).undo]).toEqual([['c', 'd'], 'a']);
    await runtime.clock.advance(4000);
    runtime.dispatch(removal.removalUndone('b'));
    await runtime.clock.advance(2000);
    expect(ids(runtime)).toEqual(['b', 'c', 'd']);
    expect(asked).toEqual(['remove a']);
    expect(runtime.read(removal.board).undo).toBe(null);
  });

  test.each(moods)('the office %s: the visit comes back to its place, and a notice says why', async (mood) => {
    const { runtime, state } = begin();
    state.mood = mood;
    void runtime.run(removal.removeVisit('b')).catch(() => undefined);
    await runtime.clock.advance(5000);
    runtime.dispatch(removal.visitAdded(visit('d')));
    expect(ids(runtime)).toEqual(['a', 'c', 'd']);
    await runtime.clock.advance(mood === 'slow' ? 8000 : 200);
    expect(ids(runtime)).toEqual(['a', 'b', 'c', 'd']);
    expect(runtime.read(notice.notices).text).toMatch(said[mood]);
  });
});

describe('a queue of writes', () => {
  test('the queue sends one note after the other, in their order', async () => {
    const { open, asked } = moodyOffice();
    const runtime = open([outbox.outbox]);
    for (const note of ['fog', 'calm']) runtime.dispatch(outbox.noteQueued(note));
    await runtime.clock.advance(300);
    expect([asked, runtime.read(outbox.outbox).waiting]).toEqual([['send fog', 'send calm'], ['calm']]);
    await runtime.clock.advance(100);
    runtime.dispatch(outbox.noteQueued('gale'));
    await runtime.clock.advance(200);
    expect([asked.at(-1), runtime.read(outbox.outbox).waiting]).toEqual(['send gale', []]);
  });

  test.each(moods)('the office %s: nothing is lost, not even by a reload', async (mood) => {
    const { open, state, asked } = moodyOffice();
    const texts = new Map<string, string>();
    const first = open([outbox.outbox], texts);
    state.mood = mood;
    for (const note of ['fog', 'calm']) first.dispatch(outbox.noteQueued(note));
    await first.clock.advance(20_000);
    const { waiting, refused, online } = first.read(outbox.outbox);
    if (mood === 'in conflict') {
      expect([waiting, online]).toEqual([[], true]);
      expect(refused).toEqual(['fog', 'calm'].map((note) => ({ note, reason: 'The office refuses.' })));
    } else expect([waiting, refused, online]).toEqual([['fog', 'calm'], [], false]);
    void first.close();
    asked.length = 0;
    state.mood = 'fine';
    const second = open([outbox.outbox], texts);
    await second.clock.advance(400);
    expect(asked).toEqual(mood === 'in conflict' ? [] : ['send fog', 'send calm']);
    expect(second.read(outbox.outbox)).toMatchObject({ waiting: [], online: true });
  });
});

describe('what is not stored yet', () => {
  const { saving: kept, shownSaving, tellOfSaving, conflictRead } = saving;
  const open = () => {
    const state = { error: undefined as Error | undefined, hangs: false };
    const texts = new Map<string, string>();
    const write = async (key: string, text: string): Promise<void> => {
      if (state.hangs) await new Promise(() => undefined);
      if (state.error) throw state.error;
      texts.set(key, text);
    };
    const begin = () => {
      const log = store('log', { note: '' }).persisted();
      const runtime = testRuntime({
        stores: [log, kept],
        storage: storageIn(() => ({
          read: (key) => Promise.resolve(texts.get(key)),
          write,
          remove: (key) => Promise.resolve(void texts.delete(key)),
          keys: () => Promise.resolve([...texts.keys()]),
        })),
      });
      const noted = (note: string) => runtime.dispatch(log.edits().merge({ note }));
      return { runtime, noted, log, ...tellOfSaving(runtime), shown: () => runtime.read(shownSaving) };
    };
    return { state, texts, begin };
  };
  const full = new DOMException('The quota has been exceeded.', 'QuotaExceededError');

  test.each([
    ['away', new TypeError('Failed to fetch'), 'The office cannot be reached.'],
    ['full', full, 'This browser has no room left: remove what you do not need.'],
  ])('where the place is %s the sentence says so, until it is stored after all', async (_, error, why) => {
    const { state, texts, begin } = open();
    const { runtime, noted, save, shown } = begin();
    await runtime.ready;
    noted('fog');
    expect([await save(), shown()]).toEqual([true, 'Everything is stored.']);
    state.error = error;
    noted('gale');
    expect(await save()).toBe(false);
    expect(shown()).toBe(`Not stored yet: log. ${why} Leave this page open; it is stored as soon as that is possible.`);
    expect(runtime.read(kept).waits).toEqual(['log']);
    state.error = undefined;
    await runtime.clock.advance(31_000);
    expect([shown(), texts.get('log')]).toEqual(['Everything is stored.', expect.stringContaining('gale')]);
  });

  test('where the office does not respond it is waited for ten seconds', async () => {
    const { state, begin } = open();
    const { runtime, noted, save, shown } = begin();
    await runtime.ready;
    state.hangs = true;
    noted('gale');
    const saved = save();
    await runtime.clock.advance(10_000);
    expect([await saved, shown()]).toEqual([false, expect.stringContaining('The office does not respond.')]);
  });

  test('where another session changed it too, one value stands, the other is set aside, and both are named', async () => {
    const { begin } = open();
    const [one, other] = [begin(), begin()];
    await Promise.all([one.runtime.ready, other.runtime.ready]);
    one.noted('fog at the mole');
    expect(await one.save()).toBe(true);
    other.noted('gale at the mole');
    expect([await other.save(), other.shown()]).toEqual([true, 'Everything is stored.']);
    expect(other.runtime.read(kept).conflict).toMatch(/^Another session stored 'log' meanwhile.*'note'/);
    other.runtime.dispatch(conflictRead());
    expect(other.runtime.read(kept).conflict).toBe(null);
    const items = await other.runtime.persistence.list();
    expect(items.map(({ kind }) => kind)).toEqual(['state', 'set aside']);
  });
});
