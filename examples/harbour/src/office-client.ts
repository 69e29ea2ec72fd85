// Talks to the harbour office over HTTP.
import { Refused, type Office } from './model/office.js';

/**
 * The office at an address.
 * @param base the address before `/office`, without a slash at its end
 * @param search query parameters for every request: `delay=800` or `fail=503` to see how the page takes it
 */
export function httpOffice(base: string, search = ''): Office {
  const ask = async <T>(path: string, { signal }: { signal?: AbortSignal } = {}, body?: unknown): Promise<T> => {
    const response = await fetch(`${base}/office${path}${search && `?${search}`}`, {
      ...(signal && { signal }),
      ...(body !== undefined && {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      }),
    });
    if (!response.ok) {
      const { problem } = (await response.json().catch(() => ({}))) as { problem?: string };
      const text = problem ?? `The office responded with ${response.status}.`;
      throw response.status >= 400 && response.status < 500 ? new Refused(text) : new Error(text);
    }
    return (await response.json()) as T;
  };
  return {
    port: (asked) => ask('/port', asked),
    visits: (day, asked) => ask(`/days/${day}/visits`, asked),
    positions: (asked) => ask('/positions', asked),
    plan: (plan) => ask('/visits', {}, plan),
    moveOn: (id) => ask(`/visits/${id}/move-on`, {}, {}),
    assign: (id, place) => ask(`/visits/${id}/place`, {}, { place }),
    cancel: (id) => ask(`/visits/${id}/cancel`, {}, {}),
    rename: (hull, name) => ask(`/vessels/${hull}/name`, {}, { name }),
  };
}
