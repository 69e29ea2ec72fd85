import { store } from 'floe';
   const tide = store('tide', { level: 0 });
   export const raised = tide.action('raised', (draft, by) => { draft.level = Math.min(9, draft.level + by); });
   tide.invariant('at most nine', ({ level }) => level <= 9);
   export const stores = [tide];