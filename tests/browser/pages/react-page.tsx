// Scenarios of the React binding in a real browser, for `react.test.ts`: each returns what it saw.
import { createRuntime, FloeError, selector, store, type Problem, type Read, type Runtime, task } from 'floe';
import { webStorage, indexedDbStorage } from 'floe/persist';
import { RuntimeProvider, useAction, useReady, useSelection } from 'floe/react';
import {
  Component,
  StrictMode,
  useLayoutEffect,
  useState,
  type ErrorInfo,
  type ReactElement,
  type ReactNode,
} from 'react';
import { flushSync } from 'react-dom';
import { createRoot, hydrateRoot, type Root } from 'react-dom/client';
import { renderToString } from 'react-dom/server';

interface Visit {
  readonly id: string;
  name: string;
  tags: string[];
}

const visitsOf = (n: number): Visit[] =>
  Array.from({ length: n }, (_, i) => ({ id: `v${i}`, name: `Visit ${i}`, tags: ['a', 'b', `t${i}`] }));

function declare(n: number) {
  const visits = store('visits', () => ({ list: visitsOf(n), count: 0 }));
  return {
    visits,
    removed: visits.action('removed', (draft, id: string) => {
      draft.list = draft.list.filter((visit) => visit.id !== id);
    }),
    tagged: visits.action('tagged', (draft, { at, tag }: { at: number; tag: string }) => {
      draft.list[at].tags.push(tag);
    }),
    counted: visits.action('counted', (draft) => {
      draft.count++;
    }),
    named: visits.action('named', (draft, { at, name }: { at: number; name: string }) => {
      draft.list[at].name = name;
    }),
  };
}

const pause = (ms = 0): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Shows the message of what was thrown in rendering. */
class Boundary extends Component<{ readonly children: ReactNode }, { readonly message?: string }> {
  override state: { readonly message?: string } = {};
  static getDerivedStateFromError = (error: Error) => ({ message: error.message });
  override componentDidCatch(_error: Error, _info: ErrorInfo): void {
    // The message is shown.
  }
  override render(): ReactNode {
    return this.state.message === undefined ? this.props.children : <p id="caught">{this.state.message}</p>;
  }
}

/** Whatever goes wrong besides what a scenario returns. */
const wrongs: string[] = [];
const consoleError = console.error.bind(console);
console.error = (...parts: unknown[]) => {
  wrongs.push(parts.map(String).join(' ').slice(0, 300));
  consoleError(...parts);
};
const rootOptions = {
  onUncaughtError: (error: unknown) => void wrongs.push(`uncaught: ${String(error)}`),
  onCaughtError: () => undefined,
  onRecoverableError: (error: unknown) => void wrongs.push(`recovered: ${String(error)}`),
};

async function mounted(element: ReactElement): Promise<{ root: Root; place: HTMLElement }> {
  wrongs.length = 0;
  const place = document.createElement('div');
  document.body.replaceChildren(place);
  const root = createRoot(place, rootOptions);
  root.render(element);
  await pause();
  await pause();
  return { root, place };
}

const begin = (stores: Runtime extends never ? never : Parameters<typeof createRuntime>[0], problems: Problem[]) =>
  createRuntime({ ...stores, onProblem: (problem) => problems.push(problem) });

/** Many components with a selection written in them that gives a fresh array each time it runs. */
async function inlineSelections(n: number, strict: boolean) {
  const { visits, tagged, counted } = declare(n);
  const problems: Problem[] = [];
  const runtime = begin({ stores: [visits] }, problems);
  const counts = { renders: 0, runs: 0 };
  const Row = ({ i }: { readonly i: number }) => {
    counts.renders++;
    const tags = useSelection((read) => {
      counts.runs++;
      return read(visits).list[i].tags.filter((tag) => tag !== 'b');
    });
    return <i>{tags.length}</i>;
  };
  const rows = Array.from({ length: n }, (_, i) => <Row key={i} i={i} />);
  const all = <RuntimeProvider runtime={runtime}>{rows}</RuntimeProvider>;
  const { root, place } = await mounted(strict ? <StrictMode>{all}</StrictMode> : all);
  const atMount = { ...counts };
  runtime.dispatch(counted());
  runtime.dispatch(tagged({ at: n - 1, tag: 'c' }));
  await pause();
  const after = { renders: counts.renders - atMount.renders, last: place.lastElementChild?.textContent };
  flushSync(() => root.unmount());
  return { mount: atMount, after, shown: place.childElementCount, problems: problems.length, wrongs: [...wrongs] };
}

/** The same with a selector that takes an argument, of which a runtime keeps a hundred results. */
async function namedSelections(n: number) {
  const { visits, tagged } = declare(n);
  const counts = { renders: 0, runs: 0, inner: 0 };
  const tagsAt = visits.selector('tagsAt', (state, i: number) => {
    counts.inner++;
    return state.list[i].tags.filter((tag) => tag !== 'b');
  });
  const lengthAt = selector('lengthAt', (read, i: number) => {
    counts.runs++;
    return [read(tagsAt(i)).length];
  });
  const problems: Problem[] = [];
  const runtime = begin({ stores: [visits] }, problems);
  const Row = ({ i }: { readonly i: number }) => {
    counts.renders++;
    return <i>{useSelection(lengthAt(i))[0]}</i>;
  };
  const rows = Array.from({ length: n }, (_, i) => <Row key={i} i={i} />);
  const { root } = await mounted(<RuntimeProvider runtime={runtime}>{rows}</RuntimeProvider>);
  const mount = { ...counts };
  runtime.dispatch(tagged({ at: 3, tag: 'c' }));
  await pause();
  const after = counts.renders - mount.renders;
  flushSync(() => root.unmount());
  return { mount, after, problems: problems.length, wrongs: [...wrongs] };
}

/** A selector begins to throw while its component is mounted, and another one's row is removed. */
async function throwing() {
  const { visits, named, removed } = declare(2);
  const problems: Problem[] = [];
  const runtime = begin({ stores: [visits] }, problems);
  const strict = visits.selector('strict', ({ list }) => {
    if (list[0]?.name === 'bad') throw new Error('the first visit is bad');
    return list[0]?.name;
  });
  const nameOf = visits.selector('nameOf', ({ list }, id: string) => list.find((visit) => visit.id === id)!.name);
  const First = () => <b>{useSelection(strict)}</b>;
  const Row = ({ id }: { readonly id: string }) => <i>{useSelection(nameOf(id))}</i>;
  const Rows = () =>
    useSelection((read) => read(visits).list.map(({ id }) => id)).map((id) => <Row key={id} id={id} />);
  const { place, root } = await mounted(
    <RuntimeProvider runtime={runtime}>
      <Boundary>
        <First />
      </Boundary>
      <Rows />
    </RuntimeProvider>,
  );
  runtime.dispatch(removed('v1'));
  await pause();
  const afterRemoval = { text: place.textContent, problems: problems.map(({ error }) => String(error)) };
  runtime.dispatch(named({ at: 0, name: 'bad' }));
  await pause();
  const caught = place.querySelector('#caught')?.textContent;
  root.unmount();
  return { afterRemoval, caught, problems: problems.length };
}

/** A layout effect that dispatches on every rendering: React's guard ends it. */
async function endless() {
  const { visits, counted } = declare(1);
  const problems: Problem[] = [];
  const runtime = begin({ stores: [visits] }, problems);
  let rounds = 0;
  const Loop = () => {
    const n = useSelection((read) => read(visits).count);
    const count = useAction(counted);
    useLayoutEffect(() => {
      if (rounds++ > 500) throw new Error('nothing stopped it');
      count();
    }, [n, count]);
    return <b>{n}</b>;
  };
  const { place, root } = await mounted(
    <RuntimeProvider runtime={runtime}>
      <Boundary>
        <Loop />
      </Boundary>
    </RuntimeProvider>,
  );
  await pause();
  const text = place.textContent ?? '';
  const count = runtime.read(visits).count;
  root.unmount();
  return { rounds, text, isCommitted: count === rounds, works: runtime.dispatch(counted()) };
}

/** A page with the server's text, kept state that differs from it, and a dispatch before it hydrates. */
async function hydrating(kind: 'local' | 'dispatch' | 'indexed') {
  localStorage.clear();
  const declared = () => {
    const { visits, counted } = declare(2);
    return { visits: visits.persisted({ only: ['count'] }), counted };
  };
  const server = declared();
  const serverRuntime = createRuntime({ stores: [server.visits] });
  serverRuntime.dispatch(server.counted());
  // A browser stands for the server, so that the provider is told.
  const app = ({ visits }: ReturnType<typeof declared>, runtime: Runtime, toText = false) => {
    const Ids = () => <i>{useSelection((read) => read(visits).list.map(({ id }) => id)).join(' ')}</i>;
    const Count = () => <b>{useSelection((read) => read(visits).count)}</b>;
    const Ready = () => <u>{useReady() ? 'ready' : 'reading'}</u>;
    return (
      <RuntimeProvider runtime={runtime} toText={toText}>
        <Count />
        <Ids />
        <Ready />
      </RuntimeProvider>
    );
  };
  const html = renderToString(app(server, serverRuntime, true));
  const initial = serverRuntime.snapshot();

  const before = declared();
  const storage = () =>
    kind === 'indexed'
      ? indexedDbStorage({ name: `hydrating ${String(Math.random())}` })
      : webStorage('local', { prefix: 'h' });
  if (kind === 'local') {
    const earlier = createRuntime({ stores: [before.visits], storage: storage() });
    for (let i = 0; i < 7; i++) earlier.dispatch(before.counted());
    await earlier.persistence.flush();
    void earlier.close();
  }
  const now = declared();
  const runtime = createRuntime({
    stores: [now.visits],
    initial,
    ...(kind !== 'dispatch' && { storage: storage() }),
  } as Parameters<typeof createRuntime>[0]);
  if (kind === 'dispatch') runtime.dispatch(now.counted());

  wrongs.length = 0;
  const place = document.createElement('div');
  document.body.replaceChildren(place);
  place.innerHTML = html;
  const served = place.querySelector('b');
  const seen: (string | null)[] = [place.textContent];
  const watching = new MutationObserver(() => seen.push(place.textContent));
  watching.observe(place, { subtree: true, childList: true, characterData: true });
  const root = hydrateRoot(place, app(now, runtime), rootOptions);
  await runtime.ready;
  // What differs is rendered after the hydration: until nothing is rendered any more.
  let rendered: number;
  do {
    rendered = seen.length;
    await pause(100);
  } while (rendered !== seen.length);
  const kept = place.querySelector('b') === served;
  const shown = place.textContent;
  watching.disconnect();
  root.unmount();
  void runtime.close();
  return { html: seen[0], shown, kept, wrongs: [...wrongs] };
}

/** What is no source. */
async function notSources() {
  const { visits, counted } = declare(1);
  const byId = visits.selector('byId', ({ list }, id: string) => list.find((visit) => visit.id === id));
  const load = task(visits, 'load', () => undefined);
  const runtime = createRuntime({ stores: [visits] });
  const messages: Record<string, string> = {};
  for (const [name, given] of Object.entries({
    undefined: undefined,
    null: null,
    text: 'visits',
    counted,
    byId,
    load,
  })) {
    const Bad = () => {
      useSelection(given as unknown as (read: Read) => unknown);
      return null;
    };
    class Catch extends Component<{ readonly children: ReactNode }> {
      override state = { failed: false };
      static getDerivedStateFromError = () => ({ failed: true });
      override componentDidCatch(error: Error): void {
        messages[name] = error instanceof FloeError ? `${error.code} ${error.message}` : `not ours: ${error.message}`;
      }
      override render(): ReactNode {
        return this.state.failed ? null : this.props.children;
      }
    }
    const { root } = await mounted(
      <RuntimeProvider runtime={runtime}>
        <Catch>
          <Bad />
        </Catch>
      </RuntimeProvider>,
    );
    root.unmount();
  }
  return messages;
}

/** A selection written in a component that renders for other reasons: it follows what the component closes over. */
async function closures() {
  const { visits, named } = declare(3);
  const runtime = createRuntime({ stores: [visits] });
  let next: () => void = () => undefined;
  let renders = 0;
  const Shown = () => {
    renders++;
    const [at, setAt] = useState(0);
    next = () => setAt(at + 1);
    return <b>{useSelection((read) => [read(visits).list[at].name])[0]}</b>;
  };
  const { place, root } = await mounted(
    <RuntimeProvider runtime={runtime}>
      <Shown />
    </RuntimeProvider>,
  );
  const seen = [place.textContent];
  next();
  await pause();
  seen.push(place.textContent);
  runtime.dispatch(named({ at: 0, name: 'none' }));
  runtime.dispatch(named({ at: 1, name: 'Second' }));
  await pause();
  seen.push(place.textContent);
  root.unmount();
  return { seen, renders, wrongs: [...wrongs] };
}

const scenarios = {
  inlineSelections,
  namedSelections,
  throwing,
  endless,
  hydrating,
  notSources,
  closures,
};
export type Scenarios = typeof scenarios;
Object.assign(globalThis, { scenarios });
