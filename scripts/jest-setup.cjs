// better-sqlite3 remembers the realm that loaded it first; each test file is a realm of its own.
require('better-sqlite3/build/Release/better_sqlite3.node').isInitialized = false;

// Property tests draw the same values each time, so that a landing doesn't hang on luck. To look for
// what nobody thought of, draw others: GOLDEN_SEED=7 npm run unit
require('fast-check').configureGlobal({ seed: Number(process.env.GOLDEN_SEED ?? 1969) });

// jsdom knows pages, and nothing of what pages and Node have in common.
if (typeof TextEncoder === 'undefined')
  Object.assign(globalThis, {
    TextEncoder: require('node:util').TextEncoder,
    TextDecoder: require('node:util').TextDecoder,
  });
