/** Functions that are called with news, each as long as it is wanted. */
export class Watchers<News extends readonly unknown[] = []> {
  private readonly all = new Set<(...news: News) => void>();

  /** @param problem gets what a watcher throws: the others are still told */
  constructor(private readonly problem: (error: unknown) => void) {}

  /** Returns a function that stops it. */
  readonly add = (watcher: (...news: News) => void): (() => void) => {
    this.all.add(watcher);
    return () => void this.all.delete(watcher);
  };

  tell(...news: News): void {
    for (const watcher of [...this.all]) {
      try {
        watcher(...news);
      } catch (error) {
        this.problem(error);
      }
    }
  }

  clear(): void {
    this.all.clear();
  }
}
