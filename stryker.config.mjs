// Mutation testing of some files, or ranges of them: scripts/mutants.mjs says which.
export default {
  testRunner: 'jest',
  plugins: ['@stryker-mutator/jest-runner', './scripts/mutants-sample.mjs'],
  ignorers: ['sample'],
  jest: { configFile: 'jest.mutants.config.mjs', enableFindRelatedTests: false },
  coverageAnalysis: 'perTest',
  mutate: process.env.FLOE_MUTATE?.split(',') ?? ['src/core/**/*.ts'],
  ignorePatterns: ['dist', 'reports', 'docs', 'bench', 'examples/*/node_modules'],
  reporters: ['progress', 'json'],
  jsonReporter: { fileName: 'reports/mutants.json' },
  timeoutMS: 4_000,
  timeoutFactor: 0.8,
  concurrency: Number(process.env.FLOE_WORKERS ?? 2),
  tempDirName: '.stryker-tmp',
};
