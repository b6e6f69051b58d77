import { z } from 'zod';
import { type Field, FieldSchema, type FieldType, type RecordType } from '../values/field.ts';
import { formatPointer, parsePointer } from '../values/pointer.ts';
import { isRecord, type JsonRecord, type Value } from '../values/value.ts';

/** Headers that say how a request travels: the way it goes is the program's own (RFC 9110 sections 7.2 and 7.6). */
const travelHeaders =
  /^(host|connection|keep-alive|te|trailer|transfer-encoding|upgrade|expect|content-length|proxy-.*)$/i;

const CallHeaderSchema = z.object({
  name: z
    .string()
    .regex(/^[\w-]+$/, 'A header’s name is made of letters, figures and hyphens.')
    .refine((name) => !travelHeaders.test(name), 'This header can’t be set: the program sets it itself.'),
  value: z
    .string()
    .max(500)
    .regex(/^[\t\x20-\x7e\x80-\xff]*$/, 'A header’s value has no line breaks, and no signs beyond Latin-1.'),
});

/** A request to an address that no app description covers, as a person described it. */
export const CallSpecSchema = z.object({
  method: z.enum(['GET', 'POST', 'PUT', 'PATCH', 'DELETE']),
  /** Below the connection's address; `{name}` stands for the field of that name. */
  address: z.string().max(500),
  headers: z.array(CallHeaderSchema).max(20),
  /** The fields of the body, and those that stand in the address. */
  fields: z.array(FieldSchema).max(300),
  /** An answer as it usually comes; what its fields are is learnt from it. */
  example: z.record(z.string(), z.unknown()).optional(),
  /** True when it changes nothing there: a rehearsal then really asks. */
  onlyReads: z.boolean(),
});
export type CallSpec = z.infer<typeof CallSpecSchema>;

/** The call that a place is; undefined for a place that is none. */
export function callIn(path: readonly string[]): CallSpec | undefined {
  try {
    const read = CallSpecSchema.safeParse(JSON.parse(path[0] ?? ''));
    return read.success ? read.data : undefined;
  } catch {
    return undefined;
  }
}

/** The names that stand in braces in an address. */
export function namesInAddress(address: string): string[] {
  return [...address.matchAll(/\{([^{}]+)\}/g)].map((match) => match[1] ?? '').filter(Boolean);
}

/** Where the answer's fields stand in what a call made known. */
export const answerName = 'answer';

/** A call as a place with its fields: what is sent can be filled, what comes back is known afterwards. */
export function describeCall(spec: CallSpec): RecordType {
  const named = namesInAddress(spec.address);
  const inAddress = named
    .filter((name) => !spec.fields.some((field) => field.path === formatPointer([name])))
    .map((name): Field => ({ path: formatPointer([name]), label: name, type: 'text', required: true }));
  const answer = fieldsOfExample((spec.example ?? {}) as JsonRecord, [answerName]);
  return {
    name: 'call',
    singular: 'call',
    plural: 'calls',
    fields: [...inAddress, ...spec.fields, ...answer.map((field) => ({ ...field, readOnly: true }))],
    can: { list: false, find: false, create: true, update: false, readBack: false },
    ...(spec.example && { example: { [answerName]: spec.example } }),
  };
}

/** The fields that an example shows, nested ones by their pointers. */
export function fieldsOfExample(example: JsonRecord, above: readonly string[] = []): Field[] {
  return Object.entries(example).flatMap(([name, value]): Field[] => {
    const tokens = [...above, name];
    if (isRecord(value)) return fieldsOfExample(value, tokens);
    const path = formatPointer(tokens);
    const label = tokens.join(' · ').replaceAll('_', ' ');
    const first = Array.isArray(value) ? value.find(isRecord) : undefined;
    if (first) return [{ path, label, type: 'list', fields: fieldsOfExample(first) }];
    return [{ path, label, type: typeOfExample(value) }];
  });
}

function typeOfExample(value: Value): FieldType {
  if (Array.isArray(value)) return 'list';
  if (typeof value === 'number') return Number.isInteger(value) ? 'integer' : 'decimal';
  if (typeof value === 'boolean') return 'boolean';
  if (typeof value !== 'string') return 'any';
  if (/^\d{4}-\d{2}-\d{2}T/.test(value)) return 'instant';
  return /^\d{4}-\d{2}-\d{2}$/.test(value) ? 'date' : 'text';
}

/** Fields as a person writes them down, one a line: `customer/name`, `total: number`, `paid: yes or no`. */
export function readFieldLines(text: string): Field[] {
  const types: Readonly<Record<string, FieldType>> = {
    number: 'decimal',
    'yes or no': 'boolean',
    date: 'date',
    list: 'list',
  };
  return text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
    .map((line) => {
      const [name = '', kind = ''] = line.split(/:\s*/);
      const tokens = name.trim().replace(/^\//, '').split('/').filter(Boolean);
      return {
        path: formatPointer(tokens),
        label: tokens.join(' · '),
        type: types[kind.trim().toLowerCase()] ?? 'text',
      };
    });
}

/** Fields as lines again. */
export function writeFieldLines(fields: readonly Field[]): string {
  const words: Partial<Record<FieldType, string>> = {
    decimal: 'number',
    boolean: 'yes or no',
    date: 'date',
    list: 'list',
  };
  return fields
    .map((field) => [parsePointer(field.path).join('/'), words[field.type]].filter(Boolean).join(': '))
    .join('\n');
}
