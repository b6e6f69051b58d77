// Documents: what a page made here or a template of the business takes, a page with its values, and file names.
export * from './document-name.ts';
export * from './page.ts';
export * from './placeholders.ts';
