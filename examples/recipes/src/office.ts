// What the recipes need of the harbour office. An answer is checked at the door: what is wrong with it is an error of the
// run that asked, and never reaches a store.
import { need } from 'floe';

export interface Visit {
  readonly id: string;
  readonly vessel: string;
  readonly berth: string;
}

export interface Plan {
  readonly vessel: string;
  readonly berth: string;
  readonly day: string;
}

export interface Position {
  readonly hull: string;
  readonly north: number;
  readonly east: number;
}

interface Asked {
  readonly signal?: AbortSignal;
}

/** Answers are `unknown`: they come from outside. */
export interface Office {
  visits(day: string, asked?: Asked): Promise<unknown>;
  find(text: string, asked?: Asked): Promise<unknown>;
  positions(asked?: Asked): Promise<unknown>;
  plan(plan: Plan): Promise<unknown>;
  remove(id: string): Promise<unknown>;
  signIn(badge: string): Promise<unknown>;
  send(note: string): Promise<unknown>;
}

export const office = need<Office>('office');

/** The office heard the question, and refuses: asking again would not help. */
export class Conflict extends Error {
  readonly code = 'CONFLICT';
}

/** The answer, or an error when it takes more than eight seconds. */
export const inTime = <T>(sleep: (ms: number) => Promise<void>, answer: Promise<T>): Promise<T> =>
  Promise.race([
    answer,
    sleep(8000).then(() => {
      throw new Error('The office does not answer.');
    }),
  ]);

const nonsense = (what: string): Error => new Error(`The office's answer is no ${what}.`);
const hasTexts = (value: unknown, ...keys: string[]): boolean =>
  typeof value === 'object' &&
  value !== null &&
  keys.every((key) => typeof (value as Record<string, unknown>)[key] === 'string');

export function visitIn(answer: unknown): Visit {
  if (!hasTexts(answer, 'id', 'vessel', 'berth')) throw nonsense('visit');
  return answer as Visit;
}

export function visitsIn(answer: unknown): Visit[] {
  if (!Array.isArray(answer)) throw nonsense('list of visits');
  return answer.map(visitIn);
}

export function positionsIn(answer: unknown): Position[] {
  const isPosition = (one: unknown): boolean =>
    hasTexts(one, 'hull') && Number.isFinite((one as Position).north) && Number.isFinite((one as Position).east);
  if (!Array.isArray(answer) || !answer.every(isPosition)) throw nonsense('list of positions');
  return answer as Position[];
}

export function textIn(answer: unknown, key: string): string {
  if (!hasTexts(answer, key)) throw nonsense(key);
  return (answer as Record<string, string>)[key];
}
