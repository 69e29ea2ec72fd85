// The end of a process, as far as it can be foreseen: it exits, or a signal ends it.
const SIGNALS = ['SIGTERM', 'SIGINT', 'SIGHUP'] as const;

const flushes = new Set<() => void>();

const flushAll = (): void => {
  for (const flush of [...flushes]) flush();
};

/** The application's listeners decide what a signal does; where there are none, it ends the process as it would without this one. */
const onSignal = (signal: NodeJS.Signals): void => {
  flushAll();
  if (process.listenerCount(signal) > 1) return;
  process.removeListener(signal, onSignal);
  process.kill(process.pid, signal);
};

/** Calls `flush` when the process is about to end. Returns a function that prevents it. */
export function whenProcessEnds(flush: () => void): () => void {
  if (flushes.size === 0) {
    process.on('exit', flushAll);
    // First, since a listener of the application may exit at once.
    for (const signal of SIGNALS) process.prependListener(signal, onSignal);
  }
  flushes.add(flush);
  return () => {
    if (!flushes.delete(flush) || flushes.size > 0) return;
    process.removeListener('exit', flushAll);
    for (const signal of SIGNALS) process.removeListener(signal, onSignal);
  };
}
