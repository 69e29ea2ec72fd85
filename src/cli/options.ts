import { badOption } from './errors.js';

/** The number of a step, as it is typed. */
export function numberOf(option: string, text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const value = Number(text);
  if (text.trim() === '' || !Number.isSafeInteger(value) || value < 0)
    throw badOption(option, text, 'the number of a step');
  return value;
}
