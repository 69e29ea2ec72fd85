// One flat project with the tests of the core, for mutation testing.
import config from './jest.config.mjs';

const [node] = config.projects;
const { displayName: _name, ...rest } = node;
export default { ...rest, testTimeout: 20_000, testMatch: ['<rootDir>/tests/core/**/*.test.ts'] };
