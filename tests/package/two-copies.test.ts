// Two copies of Floe on one page: what one made is no value of the other, and the error says so.
import { expect, test } from '@jest/globals';
import * as floe from 'floe';
import { memoryStorage } from 'floe/persist';
import { recording, undoStack } from 'floe/trace';
import { failure } from '../support/failures.js';

// The production build stands for the second copy: it has symbols of its own.
const entry = new URL('../../dist/production/core/index.js', import.meta.url).href;
const other = (await import(entry)) as typeof floe;

const theirs = other.store('theirs', { n: 0 });
const counted = theirs.action('counted', (draft) => {
  draft.n++;
});
const own = floe.store('own', { n: 0 });
const runtime = floe.createRuntime({ stores: [own] });
const strange = other.createRuntime({ stores: [theirs] });

test.each<[string, () => unknown]>([
  ['createRuntime, a store', () => floe.createRuntime({ stores: [theirs] })],
  ['read', () => runtime.read(theirs)],
  ['watch', () => runtime.watch(theirs, () => undefined)],
  ['reset', () => runtime.reset(theirs)],
  ['add', () => runtime.add(theirs)],
  ['snapshot', () => runtime.snapshot({ only: [theirs] })],
  ['selector', () => runtime.read(floe.selector('of both', (read) => read(theirs)))],
  ['copyOf', () => floe.copyOf(theirs, 'left')],
  ['undoStack', () => undoStack(strange, { stores: [own] })],
])('%s', (_what, work) => {
  const { code, message } = failure(work);
  expect([code, message]).toEqual(['FLOE_OTHER_COPY', expect.stringContaining('Another copy of Floe made this')]);
});

test('each copy goes on by itself', () => {
  const traced = other.createRuntime({ stores: [theirs] });
  traced.dispatch(counted());
  expect([traced.read(theirs).n, runtime.read(own).n]).toEqual([1, 0]);
  expect(recording()).toBeDefined();
  expect(memoryStorage()).toBeDefined();
});
