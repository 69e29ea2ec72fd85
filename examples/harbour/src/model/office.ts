import { need } from 'floe';
import type { Plan, Port, Position, Vessel, Visit } from './types.js';

interface Asked {
  readonly signal?: AbortSignal;
}

/** What the control room needs of the harbour office. */
export interface Office {
  port(asked?: Asked): Promise<Port>;
  visits(day: string, asked?: Asked): Promise<Visit[]>;
  positions(asked?: Asked): Promise<Position[]>;
  plan(plan: Plan): Promise<Visit>;
  moveOn(id: string): Promise<Visit>;
  assign(id: string, place: string): Promise<Visit>;
  cancel(id: string): Promise<Visit>;
  rename(hull: string, name: string): Promise<Vessel>;
}

export const office = need<Office>('office');

/** The office heard the question and refuses: it would refuse again. */
export class Refused extends Error {
  readonly code = 'REFUSED';
}
