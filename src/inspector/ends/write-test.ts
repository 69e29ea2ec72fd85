// Loaded on demand: most inspectors write no test.
export { writeTest } from '../../trace/index.js';
