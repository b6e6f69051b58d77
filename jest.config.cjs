/** Packages that ship as ES modules only and have to be translated for Jest. */
const esmOnly = [
  'p-queue',
  'p-retry',
  'p-timeout',
  'is-network-error',
  'eventemitter3',
  '@readme',
  '@hono',
  'hono',
  '@faker-js',
  'numfmt',
  'oauth4webapi',
  'double-metaphone',
  'marked',
];

/** Components are TSX with React's own transform; all else must not be read as such. */
const swc = (tsx) => ({
  jsc: {
    parser: { syntax: 'typescript', tsx },
    target: 'es2022',
    ...(tsx && { transform: { react: { runtime: 'automatic' } } }),
  },
  module: { type: 'commonjs' },
});

module.exports = {
  // Kept when the folder for what tests make is not.
  cacheDirectory: '<rootDir>/.tmp/jest',
  roots: [
    '<rootDir>/core',
    '<rootDir>/connectors',
    '<rootDir>/server',
    '<rootDir>/standins',
    '<rootDir>/demo',
    '<rootDir>/web',
  ],
  testMatch: ['**/src/**/*.test.{ts,tsx}'],
  testEnvironment: 'node',
  globalSetup: '<rootDir>/scripts/jest-programs.mjs',
  setupFiles: ['<rootDir>/scripts/jest-setup.cjs'],
  transform: {
    '^.+\\.tsx$': ['@swc/jest', swc(true)],
    '^.+\\.(ts|m?js|jsx)$': ['@swc/jest', swc(false)],
  },
  // Its package names a file for CommonJS that it doesn't ship.
  moduleNameMapper: { '^numfmt$': '<rootDir>/node_modules/numfmt/dist/index.js' },
  transformIgnorePatterns: [`/node_modules/(?!(${esmOnly.join('|')})/)`],
  // Far beyond what the slowest takes on a busy machine: it ends what hangs, and judges nothing.
  testTimeout: 600_000,
  reporters: ['default', '<rootDir>/scripts/jest-reporter.cjs'],
  maxWorkers: 3,
  // A test that fails before it closes its servers must not keep the whole run from ending.
  forceExit: true,
};
