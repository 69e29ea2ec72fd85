// One flat project with the tests about one file of the core, for mutation testing (scripts/mutants.mjs): thousands of runs,
// so each must be quick. Modules are CommonJS here (quicker to link) and all suites stand in one file, random programs are few
// and always the same, a failing one is not made smaller, and after the first failure nothing else is run.
import { join } from 'node:path';
import config from './jest.config.mjs';

const node = { ...config.projects[0], testTimeout: 20_000, testMatch: ['<rootDir>/scripts/mutants-suites.cjs'] };
delete node.displayName;
delete node.extensionsToTreatAsEsm;
const jsc = { parser: { syntax: 'typescript' }, target: 'es2022' };
node.transform = { '^.+\\.ts$': ['@swc/jest', { jsc, module: { type: 'commonjs' } }] };
node.testEnvironment = join(import.meta.dirname, 'scripts', 'mutants-environment.cjs');
node.setupFiles = ['<rootDir>/scripts/mutants-setup.cjs'];

export default node;
