// What the recipes need of the harbour office. A response is checked at the door: what is wrong with it is an error of the
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

/** Responses are `unknown`: they come from outside. */
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

/** The response, or an error when it takes more than eight seconds. */
export const inTime = <T>(sleep: (ms: number) => Promise<void>, response: Promise<T>): Promise<T> =>
  Promise.race([
    response,
    sleep(8000).then(() => {
      throw new Error('The office does not respond.');
    }),
  ]);

const nonsense = (what: string): Error => new Error(`The office's response is no ${what}.`);
const hasTexts = (value: unknown, ...keys: string[]): boolean =>
  typeof value === 'object' &&
  value !== null &&
  keys.every((key) => typeof (value as Record<string, unknown>)[key] === 'string');

export function visitIn(response: unknown): Visit {
  if (!hasTexts(response, 'id', 'vessel', 'berth')) throw nonsense('visit');
  return response as Visit;
}

export function visitsIn(response: unknown): Visit[] {
  if (!Array.isArray(response)) throw nonsense('list of visits');
  return response.map(visitIn);
}

export function positionsIn(response: unknown): Position[] {
  const isPosition = (one: unknown): boolean =>
    hasTexts(one, 'hull') && Number.isFinite((one as Position).north) && Number.isFinite((one as Position).east);
  if (!Array.isArray(response) || !response.every(isPosition)) throw nonsense('list of positions');
  return response as Position[];
}

export function textIn(response: unknown, key: string): string {
  if (!hasTexts(response, key)) throw nonsense(key);
  return (response as Record<string, string>)[key];
}
