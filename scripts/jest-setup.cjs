// better-sqlite3 remembers the realm that loaded it first; each test file is a realm of its own.
require('better-sqlite3/build/Release/better_sqlite3.node').isInitialized = false;
