// Documents: what a page made here or a template of the business takes, a page with its values, and file names.
export * from './completed-record.ts';
export * from './document-name.ts';
export * from './invoice/index.ts';
export * from './page.ts';
export * from './placeholders.ts';
export * from './proposed-page.ts';
