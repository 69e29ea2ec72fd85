// A Jest test of a story: the calls of needs wait, and get their responses in the order in which the story has them. It fails as long as
// the story leads to what it led to.
import { decode } from '../core/internal.js';
import { literal, quoted } from './literal.js';
import type { RecordedStory, StoryStep } from './story.js';

/** What a test of a story is made of. */
interface StoryTest extends RecordedStory {
  /** Where it imports the stores from, and what serves their needs. */
  readonly model: string;
  readonly title: string;
  /** The comment above it. */
  readonly comment: string;
}

/** Whether a test can have the same happen: what an interceptor holds only its own code decides. */
export const isTestable = ({ story }: RecordedStory): boolean => story.every(({ does }) => does !== 'decide');

export function storyTest({ kind, what, story, still, model, title, comment }: StoryTest): string {
  const steps = story.map((step) => decode(step) as StoryStep);
  const hasNeeds = steps.some(({ does }) => does === 'respond') || kind === 'at rest';
  const isReported = kind === 'rule' || kind === 'loop' || kind === 'change' || kind === 'unseen';
  const checks = isReported
    ? ['  expect(runtime.problems.map(({ error }) => String(error))).toEqual([]);']
    : kind === 'at rest'
      ? [`  expect(atRest[${quoted(what)}](runtime.read, calls.known)).toBe(true);`]
      : ['  expect(leftOpen(runtime)).toEqual([]);'];
  const body = steps.map((step, i) => lineOf(step, i + 1));
  const helpers = [
    ...(body.some((line) => line.includes('cancelRun(')) ? ['cancelRun'] : []),
    ...(hasNeeds ? ['heldCalls'] : []),
    ...(checks[0].includes('leftOpen') ? ['leftOpen'] : []),
    ...(body.some((line) => line.includes('taskCall(')) ? ['taskCall'] : []),
    'testRuntime',
  ];
  const fromModel = [...(kind === 'at rest' ? ['atRest'] : []), ...(hasNeeds ? ['needs'] : []), 'stores'];
  return [
    comment,
    `import { expect, test } from '@jest/globals';`,
    `import { ${helpers.join(', ')} } from 'floe/testing';`,
    `import { ${fromModel.join(', ')} } from ${quoted(model)};`,
    '',
    `test(${quoted(title)}, async () => {`,
    ...(hasNeeds ? ['  const calls = heldCalls(...needs);'] : []),
    `  const runtime = testRuntime({ stores${hasNeeds ? ', needs: calls.needs' : ''}${still ? ', still: true' : ''} });`,
    '  await runtime.clock.advance(0);',
    '',
    ...body,
    '',
    ...checks,
    '  await runtime.close();',
    '});',
    '',
  ].join('\n');
}

/** A step, with what it says as a comment. */
function lineOf(step: StoryStep, number: number): string {
  const says = `  // ${number}. ${step.says.replace(/[\p{Cc}\u2028\u2029]+/gu, ' ')}.`;
  return `${says}\n  ${codeOf(step)}`;
}

const SETTLE = '\n  await runtime.clock.advance(0);';

function codeOf(step: StoryStep): string {
  switch (step.does) {
    case 'dispatch':
      return `runtime.dispatch(${literal(step.action, '  ')});${SETTLE}`;
    case 'run': {
      const args = step.args.map((arg) => `, ${literal(arg, '  ')}`).join('');
      return `runtime.run(taskCall(runtime, ${quoted(step.task)}${args})).catch(() => undefined);${SETTLE}`;
    }
    case 'respond':
      return `await calls.outcome(${step.call}, ${step.outcome});`;
    case 'wait':
      return `await runtime.clock.advance(${step.ms});`;
    case 'cancel':
      return `cancelRun(runtime, ${step.run});${SETTLE}`;
    case 'decide':
      return '';
  }
}
