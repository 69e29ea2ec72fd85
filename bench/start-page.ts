// Runs in the page of `react.mjs`: an application that starts with what localStorage keeps, as it is loaded.
import { createRuntime, store } from 'floe';
import { webStorage } from 'floe/persist';

interface Row {
  readonly id: string;
  readonly name: string;
  readonly value: number;
}

const list = store('list', { all: [] as Row[] }).persisted();
const { replace } = list.edits();

const begin = () => createRuntime({ stores: [list], storage: webStorage('local', { prefix: 'bench' }) });

Object.assign(globalThis, {
  /** Keeps a state of `n` rows, for Floe and for the peer. Gives its size in characters. */
  async keep(n: number): Promise<number> {
    localStorage.clear();
    const all = Array.from({ length: n }, (_, i) => ({ id: `r${i}`, name: `Row ${i}`, value: i }));
    const runtime = begin();
    runtime.dispatch(replace({ all }));
    await runtime.persistence.flush();
    void runtime.close();
    const text = JSON.stringify({ all });
    localStorage.setItem('by-hand', text);
    return text.length;
  },
  start: (): number => begin().read(list).all.length,
});
