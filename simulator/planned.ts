// Errors that programs throw on purpose: every other raw error that comes out of Floe is a fault.
export class Planned extends Error {
  override readonly name = 'Planned';
}

export const isPlanned = (error: unknown): boolean => (error as { name?: unknown } | null)?.name === 'Planned';

/** Something that Floe must not do. */
export class Fault extends Error {
  /** What each session recorded until then, a line a step. */
  steps: readonly (readonly string[])[] = [];

  constructor(
    /** What noticed it. */
    readonly oracle: string,
    message: string,
  ) {
    super(`${oracle}: ${message}`);
  }
}
