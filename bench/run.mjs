// Ratios of medians in one run: Floe and its peers take turns, so that whatever the machine does, it does to both.
// The peers in peers.mjs are what a user would write instead.

/** Nanoseconds a call of `work`, for a batch of calls. */
function batch(work, calls) {
  const began = process.hrtime.bigint();
  for (let i = 0; i < calls; i++) work(i);
  return Number(process.hrtime.bigint() - began) / calls;
}

const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1];
const medians = (samples) =>
  Object.fromEntries(Object.entries(samples).map(([name, values]) => [name, median(values)]));

/** Medians, in nanoseconds a call, of several works measured in turns. */
export function measure(works, { calls = 2000, rounds = 41 } = {}) {
  const samples = Object.fromEntries(Object.keys(works).map((name) => [name, []]));
  // Until the engine has compiled what runs often: for half a second each, or as many calls as are plenty.
  for (const work of Object.values(works)) {
    const until = performance.now() + 500;
    for (let call = 0; call < 30_000 && performance.now() < until; call++) work(call);
  }
  for (let round = -1; round < rounds; round++) {
    for (const [name, work] of Object.entries(works)) {
      const took = batch(work, calls);
      if (round >= 0) samples[name].push(took);
    }
  }
  return medians(samples);
}

/** The same for works that give a promise, one call after the other. */
export async function measureAsync(works, { calls = 2000, rounds = 41 } = {}) {
  const samples = Object.fromEntries(Object.keys(works).map((name) => [name, []]));
  for (const work of Object.values(works)) for (let call = 0; call < 30_000; call++) await work(call);
  for (let round = -1; round < rounds; round++) {
    for (const [name, work] of Object.entries(works)) {
      const began = process.hrtime.bigint();
      for (let i = 0; i < calls; i++) await work(i);
      if (round >= 0) samples[name].push(Number(process.hrtime.bigint() - began) / calls);
    }
  }
  return medians(samples);
}
