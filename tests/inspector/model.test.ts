// The model of an application, as its inspector draws it.
import { expect, test } from '@jest/globals';
import { createRuntime, selector, store } from 'floe';
import { recording } from 'floe/trace';
import { litParts, neighbours, only, partsOf, pictureOf } from '../../src/inspector/interface/model-layout.js';
import { openPort, settle, toFile, toRuntime } from './port.js';

test('the model says what stores declare, what selectors read, and what tasks dispatch; a moment says what of it took part', async () => {
  const port = openPort();
  const { runtime, click, assignBerth, answers } = port;
  const { ask } = toRuntime(runtime);
  const free = selector('harbourNote', (read) => read(port.notesShown));
  const shown = selector('notesTwice', (read) => 2 * read(port.notesShown));
  runtime.watch(shown, () => undefined);
  click('Assign', () => void runtime.run(assignBerth('v1', 'N2')));
  answers[0].confirm();
  await settle();
  const { stores, selectors, tasks, dispatched } = await ask('model', {});
  expect(stores.map(({ name, kept }) => [name, kept])).toEqual([
    ['port', false],
    ['log', true],
    ['ticks', false],
  ]);
  expect(stores[0].actions).toContain('port.berthAssigned');
  expect(selectors).toContainEqual({ name: 'notesTwice', reads: ['log.shown'], takesArguments: false });
  expect(selectors).toContainEqual({ name: 'log.shown', reads: ['log'], takesArguments: false });
  // It was not read yet.
  expect(selectors.map(({ name }) => name)).not.toContain(free.name);
  expect(tasks.map(({ name }) => name)).toEqual(expect.arrayContaining(['port.assignBerth', 'log.notify']));
  expect(dispatched).toEqual({ 'port.assignBerth': ['port.berthAssigned'], 'log.notify': ['log.noted'] });
  const { number } = (await ask('moment', {}))!;
  expect(await ask('modelPath', { number })).toEqual({
    actions: ['port.berthAssigned', 'log.noted'],
    stores: ['port', 'log'],
    selectors: expect.arrayContaining(['notesTwice', 'log.shown']),
    tasks: ['port.assignBerth', 'log.notify'],
  });
  const file = await toFile(runtime.trace.export());
  expect((await file.ask('hello', { version: 1 })).missing.model).toContain('--model');
});

test('every part has a place of its own, and every arrow leads between parts; a large model is drawn in part', async () => {
  const port = openPort();
  const { ask } = toRuntime(port.runtime);
  port.runtime.dispatch(port.noted('fog'));
  const model = await ask('model', {});
  const path = await ask('modelPath', { number: (await ask('moment', {}))!.number });
  const whole = partsOf(model, { path, rows: 'most' });
  const { boxes, edges, width, height } = pictureOf(whole);
  expect(boxes.map(({ id }) => id)).toEqual(
    expect.arrayContaining(['store log', 'selector log.shown', 'task log.notify']),
  );
  for (const a of boxes) {
    expect([a.x >= 0, a.y >= 0, a.x + a.width <= width, a.y + a.height <= height]).toEqual([true, true, true, true]);
    for (const b of boxes)
      if (a !== b)
        expect(a.x + a.width <= b.x || b.x + b.width <= a.x || a.y + a.height <= b.y || b.y + b.height <= a.y).toBe(
          true,
        );
  }
  expect(edges).toContainEqual(expect.objectContaining({ from: 'store log', to: 'selector log.shown', verb: 'reads' }));
  const lit = litParts(whole, path);
  expect([...lit]).toEqual(['store log']);
  const small = only(partsOf(model, { path, rows: 'lit' }), lit);
  expect([...small.parts.values()]).toEqual([
    expect.objectContaining({ name: 'log', rows: ['log.noted'], moreRows: expect.any(Number) }),
  ]);
  expect([...neighbours(whole, 'store log')].sort()).toEqual(['selector log.shown', 'store log']);
});

test('a thousand stores and ten thousand values of one selector are a model, too', async () => {
  const stores = Array.from({ length: 1000 }, (_, i) => store(`berth${i}`, { depth: i }));
  const runtime = createRuntime({ stores, trace: recording() });
  const depth = stores[0].selector('deeper', (state, by: number) => state.depth + by);
  for (let by = 0; by < 10_000; by++) runtime.watch(depth(by), () => undefined);
  const { ask } = toRuntime(runtime);
  const model = await ask('model', {});
  expect(model.stores).toHaveLength(1000);
  expect(model.selectors).toEqual([{ name: 'berth0.deeper', reads: ['berth0'], takesArguments: true }]);
});
