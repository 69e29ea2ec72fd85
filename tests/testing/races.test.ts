// Twenty applications with one planted race each: `explore` finds it by the shortest story, and nothing once it is mended.
import { expect, test } from '@jest/globals';
import { explore } from 'floe/testing';
import { races } from '../fixtures/races/index.js';
import { longMode } from '../support/runs.js';

test.each(races.map((race) => [race.name, race] as const))('%s', async (_name, { what, steps, app }) => {
  const { broken } = await explore({ ...app(false), first: true });
  expect(broken.map((one) => [one.what, one.story.length])).toContainEqual([expect.stringContaining(what), steps]);
  // Whole within thirty seconds, or without a finding that long.
  const mended = await explore({ ...app(true), time: longMode ? 30_000 : 200 });
  expect(mended.broken).toEqual([]);
  expect(mended.states).toBeGreaterThan(1);
});
