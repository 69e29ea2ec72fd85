// When everything has happened that needs no time.

/** What the host has of this. Tests may replace timers later: these are the ones from before. */
const { MessageChannel, setImmediate, setTimeout } = globalThis as unknown as {
  readonly MessageChannel?: new () => {
    readonly port1: { onmessage: ((message: unknown) => void) | null; close(): void };
    readonly port2: { postMessage(message: unknown): void };
  };
  readonly setImmediate?: (fn: () => void) => unknown;
  readonly setTimeout: (fn: () => void) => unknown;
};

/** Fulfilled when everything has happened that needs no time: promises come before messages, however many follow each other. */
export const rest = (): Promise<void> =>
  new Promise((resolve) => {
    // Tests may replace timers; they replace no messages.
    if (!MessageChannel) return void setTimeout(resolve);
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = () => {
      port1.close();
      resolve();
    };
    port2.postMessage(undefined);
  });

/** A turn of the host's loop by its own timers, which costs a tenth of that. */
const turn = (): Promise<void> => new Promise((resolve) => void setImmediate!(resolve));

let quietly = async (): Promise<void> => {
  quietly = rest;
  if (!setImmediate) return rest();
  // Where a test had replaced the timers before this module was there, a turn never comes.
  let isReal = false;
  void turn().then(() => (isReal = true));
  for (let i = 0; i < 3; i++) await rest();
  if (isReal) quietly = turn;
};

/** The same as `rest`, for what is done many thousand times. */
export const quiet = (): Promise<void> => quietly();
