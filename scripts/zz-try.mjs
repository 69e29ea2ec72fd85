import { store, task, need } from 'floe';
import { explore } from 'floe/testing';
const office = need('office');
const board = store('board', { at: {} });
const assigned = board.action('assigned', (d, { id, berth }) => { d.at[id] = berth; });
board.invariant('one vessel at a berth', ({ at }) => new Set(Object.values(at)).size === Object.keys(at).length);
const assign = task(board, 'assign', async ({ use, dispatch, read }, id, berth) => {
  if (Object.values(read(board).at).includes(berth)) return;
  await use(office).assign(id, berth);
  dispatch(assigned({ id, berth }));
});
const t = Date.now();
const found = await explore({ stores: [board], examples: [assign('v1', 'N1'), assign('v2', 'N1')],
  needs: [office.outcomes({ assign: [true, new Error('down')] })], steps: 5 });
console.log(JSON.stringify(found, null, 1), Date.now() - t);
const search = store('search', { text: '', hits: null });
const typed = search.action('typed', (d, t) => { d.text = t; });
const got = search.action('got', (d, h) => { d.hits = h; });
const look = task(search, 'look', async ({ use, dispatch, sleep }, text) => { await sleep(300); dispatch(got(await use(office).find(text))); }, { when: typed, overlap: 'allow' });
const f2 = await explore({ stores: [search], examples: [typed('a'), typed('b')],
  needs: [office.outcomes({ find: (t) => [[t]] })], atRest: { 'the hits are those of the text': (read) => !read(search).hits || read(search).hits[0] === read(search).text }, steps: 8, first: true });
console.log(JSON.stringify(f2, null, 1), Date.now() - t);
