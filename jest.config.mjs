// Kinds of tests: plain Node, a simulated DOM, the same in production, and a real browser.
const shared = {
  extensionsToTreatAsEsm: ['.ts', '.tsx'],
  moduleNameMapper: {
    '^(\\.{1,2}/.*)\\.js$': '$1',
    // The public entries, as a user imports them, from the source.
    '^floe$': '<rootDir>/src/core/index.ts',
    '^floe/entities$': '<rootDir>/src/entities/index.ts',
    '^floe/trace$': '<rootDir>/src/trace/index.ts',
    '^floe/testing$': '<rootDir>/src/testing/index.ts',
    '^floe/location$': '<rootDir>/src/location/index.ts',
    '^floe/telemetry$': '<rootDir>/src/telemetry/index.ts',
    '^floe/vite$': '<rootDir>/src/vite/index.ts',
    '^floe/persist$': '<rootDir>/src/persist/index.ts',
    '^floe/persist/node$': '<rootDir>/src/persist/node/index.ts',
    '^floe/inspector/link$': '<rootDir>/src/inspector/link/index.ts',
    '^floe/(react|vue|svelte|angular)$': '<rootDir>/src/bindings/$1/index.ts',
  },
  transform: {
    '^.+\\.tsx?$': [
      '@swc/jest',
      {
        jsc: {
          parser: { syntax: 'typescript', tsx: true },
          target: 'es2022',
          transform: { react: { runtime: 'automatic' } },
        },
        module: { type: 'es6' },
      },
    ],
  },
  setupFiles: ['<rootDir>/tests/support/seed.ts'],
  modulePathIgnorePatterns: ['<rootDir>/dist/', '<rootDir>/examples/.*/dist/', '<rootDir>/package/'],
};

export default {
  reporters: [
    'default',
    ['<rootDir>/scripts/count-reporter.mjs', { file: process.env.FLOE_COUNTS ?? 'reports/counts.json' }],
  ],
  // A loaded machine may need many times what a quiet one does.
  testTimeout: 240_000,
  projects: [
    {
      ...shared,
      displayName: 'node',
      testEnvironment: 'node',
      testMatch: [
        '<rootDir>/simulator/**/*.test.ts',
        '<rootDir>/tests/{core,entities,trace,testing,link,inspector,location,telemetry,persist,recipes,eslint,cli,types,docs,package}/**/*.test.ts',
      ],
    },
    {
      ...shared,
      displayName: 'dom',
      testEnvironment: 'jsdom',
      testMatch: ['<rootDir>/tests/bindings/**/*.test.{ts,tsx}'],
    },
    {
      ...shared,
      displayName: 'production',
      testEnvironment: 'jsdom',
      setupFiles: [...shared.setupFiles, '<rootDir>/tests/support/production.ts'],
      testMatch: ['<rootDir>/tests/bindings/{contract,hydration}.test.ts'],
    },
    { ...shared, displayName: 'browser', testEnvironment: 'node', testMatch: ['<rootDir>/tests/browser/**/*.test.ts'] },
  ],
};
