import type { Filling } from '../mapping/filling.ts';
import type { Tidy } from '../mapping/tidy.ts';
import type { Step } from '../steps/schemas.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import type { Field } from '../values/field.ts';
import type { Place } from '../workflow/place.ts';
import { emptyContent, type WorkflowContent, type WorkflowVersion } from '../workflow/schema.ts';

/** A field of a test's place. */
export const aField = (path: string, more: Partial<Field> = {}): Field => ({
  path,
  label: path.slice(1).replaceAll('/', ' · '),
  type: 'text',
  ...more,
});

const can = { list: true, find: true, create: true, update: true, readBack: true };

/** The customers of a shop. */
export const shop: Place = {
  connection: 'shop',
  path: ['customers'],
  labels: ['customers'],
  described: {
    name: 'customers',
    singular: 'customer',
    plural: 'customers',
    can,
    created: '/created_at',
    updated: '/updated_at',
    fields: [
      aField('/id', { type: 'id', readOnly: true, idOf: 'customers' }),
      aField('/name'),
      aField('/email', { type: 'email' }),
      aField('/phone', { type: 'phone' }),
      aField('/address/country', { type: 'country' }),
    ],
  },
};

/** A tab of a workbook. */
export const list: Place = {
  connection: 'shelf',
  path: ['list.xlsx', 'Customers'],
  labels: ['list.xlsx', 'Customers'],
  described: {
    name: 'Customers',
    singular: 'row',
    plural: 'rows',
    can,
    fields: [aField('/Number'), aField('/Name', { required: true }), aField('/Phone'), aField('/E-mail')],
  },
};

export const fromField = (path: string, ...tidies: Tidy[]): Filling => ({
  kind: 'field',
  ref: { step: 'start', path },
  tidies,
});

/** A write of customers onto the list. */
export const writeToList = (more: Partial<WriteStep> = {}): WriteStep => ({
  id: 'list',
  kind: 'write',
  target: list,
  mode: 'create_or_update',
  firstDifference: 'source',
  key: '/Number',
  mapping: {
    '/Number': fromField('/id'),
    '/Name': fromField('/name'),
    '/Phone': fromField('/phone', { kind: 'phone' }),
  },
  ...more,
});

export const keepBritish: Step = {
  id: 'keep',
  kind: 'condition',
  condition: {
    kind: 'all',
    items: [
      { kind: 'test', ref: { step: 'start', path: '/address/country' }, operator: 'is_one_of', values: ['GB', 'IE'] },
    ],
  },
};

export const contentWith = (steps: Step[], more: Partial<WorkflowContent['start']> = {}): WorkflowContent => ({
  ...emptyContent('Customers onto the list'),
  start: { ...emptyContent('').start, source: shop, ...more },
  steps,
});

export const versionWith = (steps: Step[]): WorkflowVersion => ({
  content: contentWith(steps),
  locale: { zone: 'Europe/London', country: 'GB' },
});

export const priya = {
  id: 10418,
  name: 'Priya Nair',
  email: 'priya@clay.example',
  phone: '01632 960771',
  address: { country: 'GB' },
};
