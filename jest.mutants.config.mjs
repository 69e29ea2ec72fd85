// One flat project with the tests of the core, for mutation testing.
import config from './jest.config.mjs';

const node = { ...config.projects[0], testTimeout: 20_000, testMatch: ['<rootDir>/tests/core/**/*.test.ts'] };
delete node.displayName;

export default node;
