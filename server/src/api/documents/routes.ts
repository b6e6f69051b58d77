import { PageSchema } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { documentPreview, ok, record, wholeFile } from '../schemas.ts';

const template = z.object({
  id: z.string(),
  name: z.string(),
  ending: z.enum(['.docx', '.pdf']),
  edition: z.int(),
  at: z.string(),
  /** The names of its fields. */
  takes: z.array(z.string()).readonly(),
  hasTable: z.boolean(),
});

/** Templates of documents. */
export const documentsRoutes = {
  'GET /api/document-templates': {
    summary: 'The templates of documents, each with what it takes',
    response: z.array(template),
  },
  'POST /api/document-templates': {
    summary:
      'Keep a template: a DOCX document, or a page as JSON. One of the same name gets a new edition; what uses an older one goes on with it',
    body: z.object({
      name: z.string().min(1).max(300),
      /** Base64. */
      bytes: z.string(),
    }),
    mostBody: wholeFile,
    response: template,
  },
  'GET /api/document-templates/:id/page': {
    summary: 'A page that was made here, in its newest edition, to be changed',
    response: z.object({ name: z.string(), edition: z.int(), page: PageSchema }),
  },
  'POST /api/document-templates/preview': {
    summary: 'A page as it would be with values, or with examples where none are given; nothing is kept',
    body: z.object({ name: z.string().max(300), page: z.unknown(), record: record.optional() }),
    mostBody: wholeFile,
    response: documentPreview,
  },
  'DELETE /api/document-templates/:id': {
    summary: 'Take a template from the list; what uses it goes on with its edition',
    response: ok,
  },
} satisfies Record<string, Endpoint>;
