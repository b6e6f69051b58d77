import type { DocumentPreview } from '@golden/connectors';

/** A document that would be made, as it travels. */
export const asDocumentPreview = ({ bytes, paragraphs, ...preview }: DocumentPreview) => ({
  ...preview,
  bytes: Buffer.from(bytes).toString('base64'),
  paragraphs: paragraphs ?? null,
});
