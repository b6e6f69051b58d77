export * from './changed-since.ts';
export * from './kinds.ts';
