/** The programs of the built product by their names in `dist`: those that are started as threads or processes lie beside the server. */
export const programs = {
  golden: 'server/src/golden.ts',
  'matching-worker': 'server/src/matching/worker-main.ts',
  'document-worker': 'server/src/documents/document-worker.ts',
  'workbook-worker': 'connectors/src/workbook/book-worker.ts',
  'checkpoint-worker': 'server/src/db/checkpoint-worker.mjs',
  practice: 'standins/src/main.ts',
  'make-demo': 'demo/src/make.ts',
};
