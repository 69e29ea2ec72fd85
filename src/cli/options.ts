import { badOption } from './errors.js';

/** What `floe new` makes an application with. */
export const KINDS = ['react', 'vue', 'angular', 'svelte', 'plain'] as const;
export type Kind = (typeof KINDS)[number];

/** The number of a step, as it is typed. */
export function numberOf(option: string, text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const value = Number(text);
  if (text.trim() === '' || !Number.isSafeInteger(value) || value < 0)
    throw badOption(option, text, 'the number of a step');
  return value;
}

/** A whole number from 1 on, as it is typed. */
export function countOf(option: string, text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  if (!/^[1-9]\d{0,8}$/.test(text)) throw badOption(option, text, 'a whole number from 1 on');
  return Number(text);
}
