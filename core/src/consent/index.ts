export * from './contact.ts';
export * from './outgoing.ts';
export * from './purpose.ts';
export * from './refused.ts';
