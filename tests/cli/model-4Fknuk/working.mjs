import { store, task } from 'floe';
   const tide = store('tide', { level: 0 });
   const raised = tide.action('raised', (draft) => { draft.level++; });
   tide.invariant('low', ({ level }) => level < 1);
   task(tide, 'begin', () => { process.stdout.write('a task ran'); }, { atStart: true });
   task(tide, 'handle', () => { process.stdout.write('a task ran'); }, { when: raised });
   export const [stores, examples] = [[tide], [raised()]];