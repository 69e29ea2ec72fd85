// `npm run test:mutants`: mutation testing of the core. FLOE_MUTATE names other files.
process.env.FLOE_SHARE ??= '0.1';

export default {
  testRunner: 'jest',
  plugins: ['@stryker-mutator/jest-runner'],
  jest: { configFile: 'jest.mutants.config.mjs', enableFindRelatedTests: false },
  coverageAnalysis: 'perTest',
  mutate: (process.env.FLOE_MUTATE ?? 'src/core/**/*.ts').split(','),
  ignorePatterns: ['dist', 'reports', 'docs', 'bench', 'examples/*/node_modules'],
  reporters: ['clear-text', 'progress', 'html', 'json'],
  htmlReporter: { fileName: 'reports/mutants.html' },
  jsonReporter: { fileName: 'reports/mutants.json' },
  clearTextReporter: { allowColor: false, logTests: false, reportTests: false },
  thresholds: { high: 90, low: 80, break: 80 },
  timeoutMS: 5_000,
  concurrency: Number(process.env.FLOE_WORKERS ?? 2),
  tempDirName: '.stryker-tmp',
};
