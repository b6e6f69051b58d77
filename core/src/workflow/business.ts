import { z } from 'zod';
import { businessId } from '../mapping/refs.ts';
import { definitionOf } from '../steps/registry.ts';
import type { Field } from '../values/field.ts';
import type { JsonRecord } from '../values/value.ts';
import type { WorkflowContent } from './schema.ts';

// What a business says of itself in letters, rows and records: set once for the workspace, and usable in any workflow like
// a field of the record. A record keeps those of the time at which it was taken in.

const line = z.string().trim().max(200);

/** The facts of a business, as they are typed. */
export const BusinessSchema = z.object({
  /** Its postal address, over several lines. */
  address: z.string().trim().max(500),
  phone: line,
  email: line,
  website: line,
  /** What stands below its letters, over several lines. */
  signature: z.string().trim().max(2000),
});
export type Business = z.infer<typeof BusinessSchema>;

export const emptyBusiness: Business = { address: '', phone: '', email: '', website: '', signature: '' };

/** The fields that every step knows of the business. */
export const businessFields: readonly Field[] = [
  { path: '/name', label: 'our name', type: 'text' },
  { path: '/address', label: 'our address', type: 'text', isLong: true },
  { path: '/phone', label: 'our telephone', type: 'phone' },
  { path: '/email', label: 'our e-mail address', type: 'email' },
  { path: '/website', label: 'our website', type: 'url' },
  { path: '/signature', label: 'our signature', type: 'text', isLong: true },
];

/** The facts as the record that references lead to. @param name - the business's own */
export const businessRecord = (name: string, business: Business): JsonRecord => ({ name, ...business });

/** True where a workflow uses a fact of the business. */
export const usesBusiness = ({ steps }: WorkflowContent): boolean =>
  steps.some((step) =>
    definitionOf(step)
      .refs(step)
      .some((ref) => ref.step === businessId),
  );
