// Talks to the harbour office over HTTP.
import type { Plan, Port, Vessel, Visit } from './model/types.js';

export interface Office {
  port(): Promise<Port>;
  visits(day: string): Promise<Visit[]>;
  plan(plan: Plan): Promise<Visit>;
  moveOn(id: string): Promise<Visit>;
  rename(hull: string, name: string): Promise<Vessel>;
}

/**
 * The office at an address.
 * @param base the address before `/office`, without a slash at its end
 * @param search query parameters for every request: `delay=800` or `fail=503` to see how the page takes it
 */
export function httpOffice(base: string, search = ''): Office {
  const ask = async <T>(path: string, body?: unknown): Promise<T> => {
    const answer = await fetch(`${base}/office${path}${search && `?${search}`}`, {
      ...(body !== undefined && {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      }),
    });
    if (!answer.ok) {
      const { problem } = (await answer.json().catch(() => ({}))) as { problem?: string };
      throw new Error(problem ?? `The office answered ${answer.status}.`);
    }
    return (await answer.json()) as T;
  };
  return {
    port: () => ask('/port'),
    visits: (day) => ask(`/days/${day}/visits`),
    plan: (plan) => ask('/visits', plan),
    moveOn: (id) => ask(`/visits/${id}/move-on`, {}),
    rename: (hull, name) => ask(`/vessels/${hull}/name`, { name }),
  };
}
