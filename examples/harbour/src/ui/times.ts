/** Minutes since midnight as a time: 632 is `10:32`. */
export const clockOf = (minutes: number): string =>
  [minutes / 60, minutes % 60].map((part) => String(Math.floor(part)).padStart(2, '0')).join(':');

/** `2031-03-02T10:32:00.000Z` as `10:32`. All times in the harbour are UTC. */
export const clock = (time: string | null): string => (time === null ? '–' : time.slice(11, 16));
