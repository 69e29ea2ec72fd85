/** Where something was thrown: of a change or a task, what its code threw, and not what the runtime made of it. */
export function stackOf(error: unknown): string | undefined {
  try {
    if (!(error instanceof Error)) return undefined;
    const { stack } = error.cause instanceof Error ? error.cause : error;
    return typeof stack === 'string' ? stack : undefined;
  } catch {
    // Anything can be thrown, also what refuses to be looked at.
    return undefined;
  }
}
