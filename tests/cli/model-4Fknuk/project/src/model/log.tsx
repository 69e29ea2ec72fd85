import { store } from 'floe';
export const log = store('log', { note: '' });
export const Log = () => <p />;