// Rule 18: what is not to be seen; and who did what.
import { describe, expect, test } from '@jest/globals';
import { action, copyOf, createRuntime, store, type FloeError, task } from 'floe';
import { readTrace, recording, replayTrace, type RecordingOptions } from 'floe/trace';
import { failure } from '../support/failures.js';

const declare = () => {
  const session = store('session', { officer: null as string | null, token: null as string | null, tries: 0 });
  const signedIn = session.action('signedIn', (draft, { officer, token }: { officer: string; token: string }) => {
    if (officer === '') throw new Error(`no officer has the token ${token}`);
    draft.officer = officer;
    draft.token = token;
    draft.tries = 0;
  });
  const tried = session.action('tried', (draft) => {
    draft.tries += draft.token === 'secret-1' ? 10 : 1;
  });
  const signedOut = session.action('signedOut', (draft) => {
    draft.officer = draft.token = null;
  });
  const signIn = task(session, 'signIn', ({ dispatch }, officer: string, password: string) => {
    if (password === 'secret-bad') throw new Error(`the office refused ${password}`);
    dispatch(signedIn({ officer, token: 'secret-1' }));
  });
  return { session, signedIn, tried, signedOut, signIn };
};
const redact: RecordingOptions['redact'] = {
  state: ['/session/token'],
  actions: { 'session.signedIn': ['/token'] },
  tasks: { 'session.signIn': ['/1'] },
};

describe('rule 18: redacted', () => {
  test('travel leaves redacted state as it is, and replay takes an action with a secret on trust', () => {
    const { session, signedIn, tried, signedOut } = declare();
    const runtime = createRuntime({ stores: [session], trace: recording({ redact }) });
    const { trace } = runtime;
    runtime.dispatch(tried());
    runtime.dispatch(signedIn({ officer: 'Corran', token: 'secret-1' }));
    runtime.dispatch(tried());
    expect(runtime.read(session)).toEqual({ officer: 'Corran', token: 'secret-1', tries: 10 });
    trace.seek(1);
    expect(runtime.read(session)).toEqual({ officer: null, token: 'secret-1', tries: 1 });
    trace.live();
    trace.exclude(1);
    expect(runtime.read(session)).toEqual({ officer: 'Corran', token: 'secret-1', tries: 10 });
    trace.exclude(2);
    trace.include(2);
    expect(runtime.read(session)).toEqual({ officer: 'Corran', token: 'secret-1', tries: 10 });
    expect(trace.steps[2].onTrust).toBe(true);
    const { divergence, onTrust } = replayTrace(trace.export(), { stores: [session] });
    // The replay does not know the token either: what depends on it differs, and is taken on trust.
    expect([onTrust, divergence]).toEqual([[2, 3], undefined]);
    runtime.dispatch(signedOut());
    trace.seek(3);
    expect(runtime.read(session).token).toBeNull();
  });

  test('a text that once stood at a redacted place is in no line of a file, wherever else it stands', () => {
    const token = 'tide-7f3a9c21';
    const { session, signedIn } = declare();
    const other = store('other', {
      header: '',
      seen: {} as Record<string, number>,
      set: new Set<string>(),
      map: new Map<string, string>(),
    });
    const used = other.action('used', (draft, text: string) => {
      draft.header = `Bearer ${text}`;
      draft.seen[text] = 1;
      draft.seen[`${text}, again`] = 2;
      draft.set = new Set([text]);
      draft.map = new Map([[text, text]]);
    });
    const runtime = createRuntime({
      stores: [session, other],
      trace: recording({ redact }),
      onProblem: () => undefined,
    });
    runtime.dispatch(signedIn({ officer: 'Corran', token }));
    runtime.dispatch(used(token));
    expect(failure(() => runtime.dispatch(signedIn({ officer: '', token }))).code).toBe('FLOE_CHANGE_FAILED');
    const file = runtime.trace.export();
    expect(file).not.toContain(token);
    const again = createRuntime({ stores: [session, other], trace: recording() });
    again.trace.import(file);
    expect([Object.values(again.read(other).seen), again.read(other).map.size]).toEqual([[1, 2], 1]);
    expect(replayTrace(file, { stores: [session, other] }).divergence).toBeUndefined();
  });

  test('redact reports a place that does not exist and refuses an index of a list', () => {
    const crew = store('crew', { list: [{ name: 'Edda', pin: '4711' }], note: '' });
    const noted = crew.action('noted', (draft, note: string) => void (draft.note = note));
    const begin = (state: string[], actions = {}) => {
      const problems: string[] = [];
      const onProblem = ({ error }: { error: unknown }) => problems.push((error as FloeError).message);
      const runtime = createRuntime({ stores: [crew], trace: recording({ redact: { state, actions } }), onProblem });
      runtime.dispatch(noted('something'));
      return { problems, text: runtime.trace.export(), runtime };
    };
    expect(failure(() => begin(['/crew/list/0/pin']))).toMatchObject({
      code: 'FLOE_BAD_REDACTION',
      message: expect.stringContaining("'/crew/list/*'") as unknown as string,
    });
    for (const [place, hint] of [
      ['/crew/lisst/*/pin', "'list'"],
      ['/crew/list/pin', "'*'"],
      ['/crew/note/text', 'nothing can stand'],
      ['/crwe/note', "'crew'"],
    ]) {
      const { problems } = begin([place]);
      expect([problems.length, problems[0]]).toEqual([1, expect.stringContaining(hint) as unknown as string]);
    }
    expect(begin([], { 'crew.notde': [''] }).problems).toEqual([expect.stringContaining("'crew.noted'")]);
    expect(begin(['/crew/list/*/pin', '/*/note', '/later/joined', '/crew/list/*/byHand/*']).problems).toEqual([]);
    const { text, runtime } = begin(['/crew/list/*/pin']);
    expect([text.includes('4711'), text.includes('Edda'), text.includes('(redacted)')]).toEqual([false, true, true]);
    runtime.trace.back();
    expect(runtime.read(crew).list).toEqual([{ name: 'Edda', pin: '4711' }]);
    for (const place of ['', '/crew', '/*', '/*/*']) {
      const { text: none, runtime: redacted } = begin([place]);
      expect([none.includes('Edda'), none.includes('something'), none.includes('4711')]).toEqual([false, false, false]);
      redacted.trace.back();
      expect(redacted.read(crew).note).toBe('something');
    }
  });

  describe('further ways out', () => {
    const token = 'tide "7f3a"/9c21 ü';
    const everywhere = (file: string, secret = token): string[] =>
      [secret, JSON.stringify(secret).slice(1, -1), encodeURIComponent(secret)].filter((form) =>
        [form, JSON.stringify(form).slice(1, -1)].some((one) => file.includes(one)),
      );

    test('a copy of a store with redacted places has them as well, and so have its actions', () => {
      const { session, signedIn } = declare();
      const left = copyOf(session, 'left');
      const second = copyOf(left, 'second');
      const runtime = createRuntime({ stores: [left, second], trace: recording({ redact }) });
      for (const copy of [left.its(signedIn), second.its(left.its(signedIn))])
        runtime.dispatch(copy({ officer: 'Corran', token: 'short' }));
      const file = runtime.trace.export();
      expect(file).not.toContain('short');
      expect(readTrace(file).header.redacted).toEqual(expect.arrayContaining(['/left/token', '/second/token']));
      runtime.trace.seek(0);
      expect(runtime.read(left)).toMatchObject({ officer: null, token: 'short' });
    });

    test('a file that holds a secret holds it no longer when it is saved again', () => {
      const { session, signedIn, tried, signIn } = declare();
      const open = createRuntime({ stores: [session], trace: recording() });
      open.dispatch(tried());
      open.dispatch(signedIn({ officer: 'Corran', token: 'pin 4711' }));
      expect(() => open.dispatch(signedIn({ officer: '', token: 'pin 4711' }))).toThrow();
      open.run(signIn('Corran', 'secret-bad')).catch(() => undefined);
      open.dispatch(tried());
      open.trace.mark('with pin 4711');
      const plain = open.trace.export();
      expect(plain).toContain('pin 4711');
      const runtime = createRuntime({ stores: [session], trace: recording({ redact }) });
      runtime.trace.import(plain);
      const file = runtime.trace.export();
      expect([file.includes('4711'), file.includes('secret-bad')]).toEqual([false, false]);
      expect(runtime.read(session)).toEqual({ officer: 'Corran', token: null, tries: 1 });
      const again = createRuntime({ stores: [session], trace: recording() });
      expect(again.trace.import(file)).toEqual({ steps: runtime.trace.steps.length });
    });

    test('a secret is found as JSON and as an address write it', () => {
      const { session, signedIn } = declare();
      const runtime = createRuntime({ stores: [session], trace: recording({ redact }), onProblem: () => undefined });
      runtime.dispatch(signedIn({ officer: 'Corran', token }));
      const load = task('load', (_context, of: string) => {
        throw new Error(of);
      });
      for (const reported of [
        JSON.stringify({ token }),
        `/office?${new URLSearchParams({ token }).toString()}`,
        encodeURI(token),
      ])
        runtime.run(load(reported)).catch(() => undefined);
      expect(everywhere(runtime.trace.export())).toEqual([]);
      expect(runtime.trace.export()).not.toContain('7f3a%22');
    });

    test('what the user did names no secret, nor does what was said before it was one', () => {
      const { session, signedIn } = declare();
      const shown = store('shown', { text: '' });
      const wrote = shown.action('wrote', (draft, text: string) => void (draft.text = text));
      const { trace, ...runtime } = createRuntime({ stores: [session, shown], trace: recording({ redact }) });
      trace.noteInteraction({ kind: 'click', name: `Copy ${token}`, role: token, key: token })();
      runtime.dispatch(wrote(token));
      trace.mark(`it is ${token}`);
      trace.nameBranch(0, `with ${token}`);
      runtime.dispatch(signedIn({ officer: 'Corran', token }));
      expect(everywhere(trace.export())).toEqual([]);
      expect(everywhere(JSON.stringify([trace.interactions, trace.branches]))).toEqual([]);
    });

    test('numbers, dates and short texts are not in the payload of the action that brings them', () => {
      const crew = store('crew', { pins: {} as Record<string, number>, born: new Date(0), hint: '', seen: 0 });
      const enrolled = crew.action(
        'enrolled',
        (draft, { name, pin, born, hint }: { name: string; pin: number; born: Date; hint: string }) => {
          Object.assign(draft, { born, hint, seen: draft.seen + 1 });
          draft.pins[name] = pin;
        },
      );
      const runtime = createRuntime({
        stores: [crew],
        trace: recording({ redact: { state: ['/crew/pins/*', '/crew/born', '/crew/hint'] } }),
      });
      const born = new Date(Date.UTC(1999, 3, 4));
      const counted = crew.action('counted', (draft, seen: number) => void (draft.seen = seen));
      runtime.dispatch(enrolled({ name: 'Edda', pin: 4711, born, hint: 'milk, no tea' }));
      runtime.dispatch(enrolled({ name: 'Corran', pin: 12, born, hint: 'milk, no tea' }));
      runtime.dispatch(counted(4711));
      runtime.dispatch(enrolled({ name: 'Wren', pin: 30, born, hint: 'milk, no tea' }));
      runtime.dispatch(counted(30));
      runtime.dispatch(enrolled({ name: 'Tern', pin: 4711, born, hint: 'milk, no tea' }));
      const seen = runtime.trace.steps.map(({ action: one }) => one);
      const exported = readTrace(runtime.trace.export()).steps.map(({ action: one }) => one);
      const [, first, second, , last] = runtime.trace.steps;
      const marker = '(redacted)';
      expect(first.action!.payload).toEqual({ name: 'Edda', pin: marker, born: marker, hint: marker });
      expect(second.action!.payload).toEqual({ name: 'Corran', pin: marker, born: marker, hint: marker });
      // Elsewhere the same number is a number.
      expect(
        runtime.trace.steps.filter(({ action: one }) => one?.type === 'crew.counted').map(({ action: one }) => one),
      ).toEqual([counted(4711), counted(30)]);
      expect([first.onTrust, last.onTrust, exported]).toEqual([true, true, seen]);
      expect(replayTrace(runtime.trace.export(), { stores: [crew] }).divergence).toBeUndefined();
    });
  });

  test('the status of a task is not kept by its secret arguments', async () => {
    const { session, signIn } = declare();
    const runtime = createRuntime({ stores: [session], trace: recording({ redact }) });
    await runtime.run(signIn('Corran', 'secret-2'));
    const [, started] = runtime.trace.steps;
    expect(started.run!.args).toEqual(['Corran', '(redacted)']);
    runtime.trace.seek(started.seq);
    expect(runtime.read(signIn.statusOf('Corran', 'secret-2')).runs).toBe(1);
  });
});

describe('who did it, and what was said of it', () => {
  test('the step of a replaced action names the interceptor as its cause', () => {
    const { session, tried, signedOut } = declare();
    const runtime = createRuntime({
      stores: [session],
      trace: recording(),
      interceptors: [(sent, { proceed }) => void proceed(sent.type === 'session.tried' ? signedOut() : sent)],
    });
    runtime.dispatch(tried());
    expect(runtime.trace.steps.at(-1)).toMatchObject({
      action: { type: 'session.signedOut' },
      cause: { by: 'interceptor' },
    });
  });

  test('the inspector sends any action of the model with any payload', () => {
    const { session } = declare();
    const shiftEnded = action('shiftEnded');
    session.when(shiftEnded, (draft) => void (draft.officer = null));
    const runtime = createRuntime({ stores: [session], trace: recording() });
    expect(runtime.trace.actions).toEqual(['session.signedIn', 'session.signedOut', 'session.tried', 'shiftEnded']);
    expect(runtime.trace.send({ type: 'session.signedIn', payload: { officer: 'Wren', token: 't' } })).toBe('applied');
    expect(runtime.read(session).officer).toBe('Wren');
    expect(runtime.trace.steps.at(-1)!.cause).toEqual({ by: 'inspector' });
    expect(() => runtime.trace.send({ type: 'session.signedUp' })).toThrow(
      expect.objectContaining({ code: 'FLOE_UNKNOWN_ACTION' }),
    );
  });

  test('a trace file keeps the note on a step', () => {
    const { session, tried } = declare();
    const runtime = createRuntime({ stores: [session], trace: recording() });
    runtime.dispatch(tried());
    runtime.dispatch(tried());
    runtime.trace.mark('here it went wrong', 1);
    runtime.trace.mark('and here');
    runtime.trace.mark('', 2);
    expect(runtime.trace.steps.map(({ note }) => note)).toEqual([undefined, 'here it went wrong', undefined]);
    expect(readTrace(runtime.trace.export()).steps[1].note).toBe('here it went wrong');
  });
});
