// `npm run ways`: the files and functions that the five ways through Floe pass, measured by V8's precise coverage: those of an
// action, of a run, of a step to its line, of a stored state to the screen, and of a click to a moment. docs/architecture.md
// has the table. Checks of development are left out, as in production.
import { Session } from 'node:inspector/promises';
import { fileURLToPath } from 'node:url';

process.env.NODE_ENV = 'production';
const { createRuntime, store, task } = await import('../dist/core/index.js');
const { holdOf, SOURCE } = await import('../dist/core/internal.js');
const { Asking, channelPair, linkRuntime } = await import('../dist/inspector/ends/index.js');
const { memoryStorage } = await import('../dist/persist/index.js');
const { recording } = await import('../dist/trace/index.js');

const dist = new URL('../dist/', import.meta.url).href;
const session = new Session();
session.connect();
await session.post('Profiler.enable');

/** How many functions `work` calls, by file. */
async function passed(work) {
  await session.post('Profiler.startPreciseCoverage', { callCount: true, detailed: false });
  await session.post('Profiler.takePreciseCoverage');
  await work();
  const { result } = await session.post('Profiler.takePreciseCoverage');
  await session.post('Profiler.stopPreciseCoverage');
  const files = result
    .filter(({ url }) => url.startsWith(dist))
    .map(({ url, functions }) => [
      fileURLToPath(url).slice(fileURLToPath(dist).length).replace(/\.js$/, '.ts'),
      functions.filter(({ ranges, functionName }) => ranges[0].count > 0 && functionName !== '').length,
    ])
    .filter(([, count]) => count > 0);
  return { files, functions: files.reduce((sum, [, count]) => sum + count, 0) };
}

const declare = () => {
  const visits = store('visits', { list: ['v1'], picked: 'v1' });
  const picked = visits.action('picked', (draft, id) => void (draft.picked = id));
  return { visits, picked, shown: visits.selector('shown', (state) => state.picked) };
};
const held = (runtime, source) => {
  const hold = holdOf(runtime, source[SOURCE]);
  hold.get();
  let renders = 0;
  hold.subscribe(() => {
    hold.get();
    renders++;
  });
  return () => renders;
};
const saw = (isTrue, what) => {
  if (!isTrue) throw new Error(`${what} was not seen`);
};

const ways = {
  async 'an action, to a component'() {
    const { visits, picked, shown } = declare();
    const runtime = createRuntime({ stores: [visits] });
    const renders = held(runtime, shown);
    runtime.dispatch(picked('v2'));
    return passed(() => {
      runtime.dispatch(picked('v3'));
      saw(renders() === 2, 'the rendering');
    });
  },
  async 'a run, to its end'() {
    const { visits, picked } = declare();
    const pick = task(visits, 'pick', async ({ dispatch }, id) => void dispatch(picked(id)));
    const runtime = createRuntime({ stores: [visits] });
    await runtime.run(pick('v2'));
    return passed(async () => {
      await runtime.run(pick('v3'));
      saw(runtime.read(visits).picked === 'v3', 'the action of the run');
    });
  },
  async 'a step, to its line'() {
    const { visits, picked } = declare();
    const lines = [];
    const runtime = createRuntime({ stores: [visits], trace: recording({ lines: (line) => lines.push(line) }) });
    runtime.dispatch(picked('v2'));
    const { length } = lines;
    return passed(() => {
      runtime.dispatch(picked('v3'));
      saw(lines.length === length + 1, 'the line');
    });
  },
  async 'a stored state, to a component'() {
    const { visits, shown } = declare();
    visits.persisted();
    const texts = new Map();
    const first = createRuntime({ stores: [visits], storage: memoryStorage(texts) });
    first.dispatch({ type: 'visits.picked', payload: 'v9' });
    await first.persistence.flush();
    await first.close();
    return passed(() => {
      const runtime = createRuntime({ stores: [visits], storage: memoryStorage(texts) });
      held(runtime, shown);
      saw(runtime.read(shown) === 'v9', 'the stored state');
    });
  },
  async 'a click, to a moment'() {
    const { visits, picked } = declare();
    const runtime = createRuntime({ stores: [visits], trace: recording() });
    const [ours, theirs] = channelPair();
    linkRuntime(runtime, theirs, { name: 'ways' });
    const asking = new Asking(ours, () => {});
    const click = (id) => {
      const end = runtime.trace.noteInteraction({ kind: 'click', name: id });
      runtime.dispatch(picked(id));
      end();
    };
    click('v2');
    await asking.ask('status', {});
    return passed(async () => {
      click('v3');
      const moment = await asking.ask('moment', { seq: runtime.trace.cursor });
      saw(moment?.sentence.includes('v3'), 'the moment');
    });
  },
};

for (const [name, way] of Object.entries(ways)) {
  const { files, functions } = await way();
  console.log(`${name}: ${files.length} files, ${functions} functions`);
  for (const [file, count] of files) console.log(`  ${String(count).padStart(3)}  ${file}`);
}
process.exit(0);
