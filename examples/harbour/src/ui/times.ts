/** `2031-03-02T10:32:00.000Z` as `10:32`. All times in the harbour are UTC. */
export const clock = (time: string | null): string => (time === null ? '–' : time.slice(11, 16));
