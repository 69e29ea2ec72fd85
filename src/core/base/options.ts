// Options objects of the public interface: a misspelt member is an error, since it would otherwise do nothing, unsaid.
import { badOption, badOptions, nearest, unknownOption } from './errors.js';
import { DEV } from './mode.js';

/**
 * Development only: refuses unknown members.
 * @param what names the options in the message: `createRuntime`
 * @throws FLOE_UNKNOWN_OPTION with "did you mean"
 */
export function checkOptions(what: string, given: unknown, known: readonly string[]): void {
  if (!DEV || given === undefined) return;
  if (typeof given !== 'object' || given === null || Array.isArray(given)) throw badOptions(what, given, known);
  for (const option of Object.keys(given)) if (!known.includes(option)) throw unknownOption(what, option, known);
}

/** Development only: refuses a value that is none of those that an option may have. */
export function checkChoice(what: string, option: string, given: unknown, choices: readonly string[]): void {
  if (!DEV || given === undefined || choices.includes(given as string)) return;
  const meant = typeof given === 'string' ? nearest(given, choices) : undefined;
  const found = typeof given === 'string' ? `'${given}'` : typeof given;
  throw badOption(
    what,
    option,
    `is one of ${choices.map((choice) => `'${choice}'`).join(', ')} (found: ${found})${meant ? `; did you mean '${meant}'?` : ''}`,
  );
}

/**
 * A number of things that an option gives.
 * @throws FLOE_BAD_OPTION where it is no number from 0 on; `Infinity` is one
 */
export function countOption(what: string, option: string, given: unknown, usual: number): number {
  if (given === undefined) return usual;
  if (typeof given !== 'number' || !(given >= 0))
    throw badOption(
      what,
      option,
      DEV &&
        `is a number from 0 on (found: ${typeof given === 'number' ? given : typeof given}); without a limit, Infinity`,
    );
  return given;
}
