import { store } from 'floe';
export const tide = store('tide', { level: 0 as number });