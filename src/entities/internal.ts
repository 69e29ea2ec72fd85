// What the other parts of Floe use of this one besides its public entry. Nothing else of it is imported from outside.
export { knowTables } from './table.js';
