import { startId } from '../mapping/refs.ts';
import type { Step } from '../steps/schemas.ts';
import { fromField, keepBritish, list, priya, shop, versionWith, writeToList } from '../testing/workflows.ts';
import type { JsonRecord } from '../values/value.ts';
import { WorkflowContentSchema } from '../workflow/schema.ts';
import { RecordComparison } from './compared.ts';
import { fieldBack, type RepairPlan, repairHere, repairThere } from './repair.ts';
import {
  CannotCompare,
  comparableFields,
  proposeReconcile,
  type ReconcileSetting,
  ReconcileSettingSchema,
} from './setting.ts';

const at = '2026-11-30T09:00:00.000Z';
const settingOf = (...steps: Step[]): ReconcileSetting => proposeReconcile(versionWith(steps).content, 'list');
const comparisonOf = (setting: ReconcileSetting): RecordComparison => {
  const { content: _content, ...around } = versionWith([]);
  return new RecordComparison(setting, around, at);
};
const row = (more: JsonRecord = {}): JsonRecord => ({
  Number: '10001',
  Name: 'Priya Nair',
  Phone: '+441632960771',
  ...more,
});
const here: JsonRecord = { ...priya, id: '10001', name: 'Priya Nair', phone: '01632 960 771' };

test('what a record here would have there is compared, by what the workflow makes of it', () => {
  const comparison = comparisonOf(settingOf(writeToList()));
  const left = comparison.left(here);
  expect(left?.keys).toEqual(['10001']);
  const differences = (there: JsonRecord) => (left ? comparison.differences(left, comparison.right(there)) : []);
  expect(differences(row())).toEqual([]);
  // The same number to call, and spaces, are no difference.
  expect(differences(row({ Phone: '01632 960771', Name: 'Priya  Nair ' }))).toEqual([]);
  expect(differences(row({ Phone: '01632 960772', Name: 'PRIYA NAIR' }))).toEqual([
    { path: '/Name', label: 'Name', left: 'Priya Nair', right: 'PRIYA NAIR' },
    { path: '/Phone', label: 'Phone', left: '+441632960771', right: '01632 960772' },
  ]);
  // What the app itself made of the very value that is here is none either; of another value it is.
  const made = [{ '/Phone': { sent: '+441632960771', read: '(0)1632/960771x' } }];
  const odd = comparison.right(row({ Phone: '(0)1632/960771x' }));
  expect(left && comparison.differences(left, odd, made)).toEqual([]);
  expect(
    left && comparison.differences(left, odd, [{ '/Phone': { sent: '+441', read: '(0)1632/960771x' } }]),
  ).toHaveLength(1);
});

test('a value that can’t be written as it is stands there as it is, and differs', () => {
  const comparison = comparisonOf(settingOf(writeToList()));
  const left = comparison.left({ ...here, phone: 'ask Robin' });
  expect(left && comparison.differences(left, comparison.right(row()))).toEqual([
    { path: '/Phone', label: 'Phone', left: 'ask Robin', right: '+441632960771' },
  ]);
  expect(left && comparison.differences(left, comparison.right(row({ Phone: 'ask  Robin' })))).toEqual([]);
});

test('what a condition leaves out isn’t compared', () => {
  const comparison = comparisonOf(settingOf(keepBritish, writeToList()));
  expect(comparison.left({ ...here, address: { country: 'GB' } })).toBeDefined();
  expect(comparison.left({ ...here, address: { country: 'FR' } })).toBeUndefined();
});

test('what comes from a lookup can’t be compared, and why is said; a write for each line neither', () => {
  const looked = writeToList({
    mapping: {
      '/Number': fromField('/id'),
      '/Name': { kind: 'field', ref: { step: 'look', path: '/name' }, tidies: [] },
    },
  });
  const setting = settingOf(looked);
  expect(comparableFields(setting).others).toEqual([
    { path: '/Name', label: 'Name', why: 'it comes from another step that looks it up' },
  ]);
  expect(Object.keys(setting.fields)).toEqual(['/Number']);
  expect(() => settingOf({ ...writeToList(), within: 'each' })).toThrow(CannotCompare);
  expect(() => proposeReconcile(versionWith([]).content, 'none')).toThrow('Choose which write');
  expect(ReconcileSettingSchema.parse(JSON.parse(JSON.stringify(setting)))).toEqual(setting);
});

const plan = (more: Partial<RepairPlan> = {}): RepairPlan => ({
  makesThere: false,
  makesHere: false,
  fields: {},
  empties: false,
  ...more,
});

test('a repair is a workflow of its own: by hand, of the same records, writing what was chosen and nothing else', () => {
  const setting = settingOf(keepBritish, writeToList());
  expect(repairThere(setting, plan(), 'Repair')).toBeUndefined();
  const content = repairThere(setting, plan({ fields: { '/Phone': 'from_here', '/Name': 'leave' } }), 'Repair');
  expect(WorkflowContentSchema.parse(content)).toEqual(content);
  expect(content?.start).toMatchObject({ source: shop, trigger: { kind: 'hand' }, takesOwn: true });
  expect(content?.steps.map(({ kind }) => kind)).toEqual(['condition', 'write']);
  const [, write] = content?.steps ?? [];
  expect(write).toMatchObject({
    target: list,
    mode: 'create_or_update',
    policies: { '/Phone': 'always', '/Number': 'never' },
    ladder: { atNone: 'leave_out', remembers: 'start', rungs: [{ kind: 'exact', fields: ['/Number'] }] },
    firstDifference: 'source',
  });
  // The name isn't touched, the number finds it.
  expect(write?.kind === 'write' && Object.keys(write.mapping).sort()).toEqual(['/Number', '/Phone']);
  const making = repairThere(setting, plan({ makesThere: true, empties: true }), 'Repair')?.steps[1];
  expect(making).toMatchObject({
    ladder: { atNone: 'create', atGone: 'create' },
    empties: 'all',
    policies: { '/Phone': 'never', '/Name': 'never', '/Number': 'never' },
  });
  expect(making?.kind === 'write' && Object.keys(making.mapping).sort()).toEqual(['/Name', '/Number', '/Phone']);
});

test('the way back leads along plain copies only', () => {
  const setting = settingOf(
    writeToList({ mapping: { ...writeToList().mapping, '/E-mail': { kind: 'fixed', value: 'x' } } }),
  );
  expect(fieldBack(setting, '/Name')?.path).toBe('/name');
  // An id is the app's own; what is always the same stands nowhere here.
  expect([fieldBack(setting, '/Number'), fieldBack(setting, '/E-mail')]).toEqual([undefined, undefined]);
  expect(repairHere(setting, plan({ fields: { '/Number': 'from_there' } }), 'Back')).toBeUndefined();
  const content = repairHere(setting, plan({ fields: { '/Name': 'from_there', '/Phone': 'newer' } }), 'Back');
  expect(WorkflowContentSchema.parse(content)).toEqual(content);
  expect(content?.start.source).toEqual(list);
  expect(content?.steps).toMatchObject([
    {
      target: shop,
      policies: { '/name': 'always', '/phone': 'newest' },
      mapping: { '/name': { kind: 'field', ref: { step: startId, path: '/Name' }, tidies: [] } },
      ladder: { atNone: 'leave_out' },
    },
  ]);
});
