/** What a piece of work failed with. */
export interface Failure {
  readonly code: string;
  readonly path: string | undefined;
  readonly message: string;
}

/** The error of Floe that a piece of work throws; anything else that it throws is thrown on. */
export function failure(work: () => unknown): Failure {
  try {
    work();
  } catch (error) {
    // By its name: a production build is another copy of the class.
    const { name, code, path, message } = error as Error & Failure;
    if (name === 'FloeError') return { code, path, message };
    throw error;
  }
  throw new Error('nothing was thrown');
}

/** The code that a piece of work fails with, or `'no error'`. */
export function codeOf(work: () => unknown): string {
  try {
    work();
  } catch (error) {
    return (error as { readonly code?: string }).code ?? String(error);
  }
  return 'no error';
}
