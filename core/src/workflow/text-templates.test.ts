import { letterOf, unknownInLetter } from '../mapping/letter.ts';
import { namedFields } from '../mapping/names.ts';
import type { Step } from '../steps/schemas.ts';
import { contentWith, writeToList } from '../testing/workflows.ts';
import { describeChanges } from './changes.ts';
import { WorkflowContentSchema } from './schema.ts';
import { lackingIn, templateFilling, textTemplateUses, withTextTemplate } from './text-templates.ts';

const text = { id: 'thanks', version: 2, text: 'Dear {name, else customer},\n{kiln size} is ready. {email}' };
const base = contentWith([writeToList(), { ...writeToList(), id: 'second' } as Step]);
/** The workflow with the text, in this version, as the note of each of these steps. */
const using = (version: number, ...steps: string[]) => ({
  ...base,
  steps: base.steps.map((step) =>
    step.kind === 'write' && steps.includes(step.id)
      ? {
          ...step,
          mapping: {
            ...step.mapping,
            '/Phone': templateFilling(base, step.id, { ...text, version, text: 'Old {name}' }),
          },
        }
      : step,
  ),
});

test('its names stand for the fields of the workflow that uses it; what is none is words, and is told', () => {
  const filling = templateFilling(base, 'list', text);
  if (filling.kind !== 'text') throw new Error('not a text');
  expect(filling.parts).toEqual([
    { kind: 'words', text: 'Dear ' },
    { kind: 'field', ref: { step: 'start', path: '/name' }, otherwise: 'customer' },
    { kind: 'words', text: ',\n{kiln size} is ready. ' },
    { kind: 'field', ref: { step: 'start', path: '/email' } },
  ]);
  const names = namedFields(base, { before: 'list' });
  expect(letterOf(filling.parts, names)).toBe(text.text);
  expect(unknownInLetter(`${text.text} {kiln size} {, else x}`, names)).toEqual(['kiln size']);
  expect(lackingIn(using(1, 'list'), text)).toEqual(['kiln size']);
  expect(lackingIn(base, text)).toEqual([]);
});

test('that a text is a template now is told as that, its words being the same', () => {
  const marked = using(1, 'second');
  const plain = using(1, 'second');
  for (const step of plain.steps)
    if (step.kind === 'write')
      for (const one of Object.values(step.mapping)) if (one.kind === 'text') delete one.template;
  const said = (before: typeof base, after: typeof base) =>
    describeChanges(
      before,
      after,
      { shelf: 'Workbook shelf', shop: 'Shop counter' },
      { zone: 'Europe/London', country: 'GB' },
    ).map(({ text: words }) => words);
  expect(said(plain, marked)).toEqual(['“Phone” is version 1 of a template now.']);
  expect(said(marked, plain)).toEqual(['“Phone” is no template any more.']);
  expect(said(marked, using(2, 'second'))).toEqual(['“Phone” is version 2 of a template now.']);
});

test('a new version is put wherever an older one stands, and nowhere else', () => {
  const before = using(1, 'list', 'second');
  expect(textTemplateUses(before, 'thanks')).toEqual([
    { step: 'list', path: '/Phone', version: 1 },
    { step: 'second', path: '/Phone', version: 1 },
  ]);
  const after = withTextTemplate(before, text);
  expect(textTemplateUses(after, 'thanks').map(({ version }) => version)).toEqual([2, 2]);
  expect(after.steps.map((step) => step.kind === 'write' && step.mapping['/Phone'])).toEqual([
    templateFilling(base, 'list', text),
    templateFilling(base, 'second', text),
  ]);
  // What isn't the text is as it was, and once it is put nothing changes any more.
  expect(withTextTemplate(after, text)).toEqual(after);
  expect(withTextTemplate(base, text)).toEqual(base);
  expect(withTextTemplate(before, { ...text, id: 'other' })).toEqual(before);
  expect(WorkflowContentSchema.parse(after)).toEqual(after);
});
