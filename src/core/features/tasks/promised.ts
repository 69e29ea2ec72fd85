// Something that is waited for like a promise, whose promise is made when it is asked for.

export abstract class Promised {
  protected abstract result(): Promise<unknown>;

  then<R = unknown, E = never>(
    fulfilled?: ((value: unknown) => R | PromiseLike<R>) | null,
    rejected?: ((error: unknown) => E | PromiseLike<E>) | null,
  ): Promise<R | E> {
    return this.result().then(fulfilled, rejected);
  }
  catch<E = never>(rejected?: ((error: unknown) => E | PromiseLike<E>) | null): Promise<unknown> {
    return this.result().catch(rejected);
  }
  finally(done?: (() => void) | null): Promise<unknown> {
    return this.result().finally(done);
  }
}
