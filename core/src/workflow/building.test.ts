import fc from 'fast-check';
import type { Step } from '../steps/schemas.ts';
import { aField, contentWith, fromField, keepBritish, list, shop, writeToList } from '../testing/workflows.ts';
import { sentenceText, writeBrief } from './brief.ts';
import { describeChanges, withoutMarks } from './changes.ts';
import { copyKinds, draftCopy, proposeIdentity, proposeName } from './draft-copy.ts';
import { driftOf, driftSentence, takeFields } from './drift.ts';
import { fileKind, readWorkflowFile, withConnections } from './file.ts';
import { mergeDrafts } from './merge.ts';
import { duplicateStep, moveStep, newProblems, onlyStep } from './moves.ts';
import { checkReadiness, isReady } from './readiness.ts';
import type { WorkflowContent } from './schema.ts';

const locale = { zone: 'Europe/London', country: 'GB' };
const names = { shop: 'Shop counter', shelf: 'Workbook shelf' };
const base = contentWith([keepBritish, writeToList()]);
const people = [
  { id: 1, name: 'Priya Nair', email: 'priya@clay.example', phone: '01632 960771', address: { country: 'GB' } },
  { id: 2, name: 'Zoë Ó Briain', email: 'zoe@clay.example', phone: null, address: { country: 'IE' } },
];
const from = { place: shop, app: 'Shop counter', records: people };
const to = { place: list, app: 'Workbook shelf', records: [] };

describe('a draft from three choices', () => {
  test.each(copyKinds)('“%s” gives a draft that is ready, named, keyed and mapped, with reasons', (kind) => {
    const draft = draftCopy(from, to, kind, '{from} {records} into {to}');
    expect(isReady(draft)).toBe(true);
    expect(draft.name).toBe('Shop counter customers into Workbook shelf');
    const [write] = draft.steps;
    if (write?.kind !== 'write') throw new Error('a copy writes');
    expect(write.key).toBe('/Number');
    expect(Object.keys(write.mapping).sort()).toEqual(['/E-mail', '/Name', '/Number', '/Phone']);
    expect(Object.keys(write.suggested ?? {}).sort()).toEqual(Object.keys(write.mapping).sort());
  });

  test('the naming scheme is the person’s; a row is called after its tab', () => {
    expect(proposeName('{records} → {place}', from, to)).toBe('customers → Customers');
    expect(proposeName('{records} into {to}', to, from)).toBe('Customers into Shop counter');
    expect(proposeName('  ', from, to)).toBe('Shop counter into Workbook shelf');
  });

  test('where a place gives no ids, the field that tells its records apart is proposed', () => {
    const rows = [
      { Number: '00420', Name: 'Ada', Phone: null, 'E-mail': 'a@b.example' },
      { Number: '00421', Name: 'Ada', Phone: null, 'E-mail': 'c@d.example' },
    ];
    expect(proposeIdentity({ place: list, records: rows })).toBe('/Number');
    expect(proposeIdentity({ place: shop, records: people })).toBeUndefined();
  });
});

describe('drift', () => {
  const renamed = {
    ...list.described,
    fields: list.described.fields.map((field) => (field.path === '/Phone' ? aField('/Telephone') : field)),
  };

  test('a renamed column stops the write, tells what rests on it, and proposes the likely new one', () => {
    const drift = driftOf(base, 'list', list.described, renamed);
    expect(drift.isStopping).toBe(true);
    expect(drift.gone).toEqual([
      {
        path: '/Phone',
        label: 'Phone',
        affects: ['the mapping of “Phone”'],
        proposal: { path: '/Telephone', label: 'Telephone', why: expect.stringContaining('in the same place') },
      },
    ]);
    expect(driftSentence(drift, '“Customers”')).toContain('“Phone” is likely “Telephone” now');
  });

  test('taking the proposal moves the mapping and the key, and nothing is left to mend', () => {
    const after = takeFields(base, 'list', renamed, { '/Phone': '/Telephone' });
    const step = after.steps.find((one) => one.id === 'list');
    if (step?.kind !== 'write') throw new Error('the write stays');
    expect(step.mapping['/Telephone']).toEqual(fromField('/phone', { kind: 'phone' }));
    expect(step.mapping['/Phone']).toBeUndefined();
    expect(isReady(after)).toBe(true);
    expect(driftOf(after, 'list', renamed, renamed).isStopping).toBe(false);
  });

  test('fields taken as they are change nothing; renamed there and back neither', () => {
    expect(takeFields(base, 'list', list.described, {})).toEqual(base);
    expect(takeFields(base, 'start', shop.described, {})).toEqual(base);
    const there = takeFields(base, 'list', renamed, { '/Phone': '/Telephone' });
    expect(takeFields(there, 'list', list.described, { '/Telephone': '/Phone' })).toEqual(base);
  });

  test('two new columns that are as likely as each other: none is proposed', () => {
    const two = {
      ...list.described,
      fields: [
        ...list.described.fields.filter((field) => field.path !== '/Phone'),
        aField('/Phone 1'),
        aField('/Phone 2'),
      ],
    };
    expect(driftOf(base, 'list', list.described, two).gone[0]?.proposal).toBeUndefined();
  });

  test('a column that nothing uses may go, and a new one may come', () => {
    const without = { ...list.described, fields: [...list.described.fields.slice(0, 3), aField('/Extra')] };
    const drift = driftOf(base, 'list', list.described, without);
    expect(drift.isStopping).toBe(false);
    expect(drift.added.map((field) => field.label)).toEqual(['Extra']);
  });

  test('a source field that conditions and mappings read is told with both', () => {
    const gone = { ...shop.described, fields: shop.described.fields.filter((one) => one.path !== '/address/country') };
    const drift = driftOf(base, 'start', shop.described, gone);
    expect(drift.gone[0]?.affects).toEqual(['a condition']);
    const renamedSource = {
      ...gone,
      fields: [...gone.fields, aField('/address/land', { type: 'country' })],
    };
    const after = takeFields(base, 'start', renamedSource, { '/address/country': '/address/land' });
    expect(checkReadiness(after).filter((one) => one.severity === 'blocks')).toEqual([]);
  });

  test('an option that is used and no more, and a field newly required, stop it too', () => {
    const options = (values: string[]) => ({
      ...list.described,
      fields: [
        ...list.described.fields,
        aField('/Stage', { type: 'choice', options: values.map((value) => ({ value, label: value })) }),
      ],
    });
    const content = contentWith([
      writeToList({
        target: { ...list, described: options(['new', 'won']) },
        mapping: {
          '/Number': fromField('/id'),
          '/Name': fromField('/name'),
          '/Stage': { kind: 'choice', value: 'won' },
        },
      }),
    ]);
    const drift = driftOf(content, 'list', options(['new', 'won']), options(['new', 'lost']));
    expect(drift.optionsGone).toEqual([{ label: 'Stage', options: ['won'] }]);
    const required = { ...list.described, fields: [...list.described.fields, aField('/Tax', { required: true })] };
    expect(driftOf(base, 'list', list.described, required).newlyRequired).toEqual(['Tax']);
  });
});

describe('joining two drafts', () => {
  const noted = { ...base, steps: base.steps.map((step) => (step.id === 'keep' ? { ...step, note: 'agent' } : step)) };
  const mapped: WorkflowContent = {
    ...base,
    steps: base.steps.map((step) =>
      step.id === 'list' && step.kind === 'write'
        ? { ...step, mapping: { ...step.mapping, '/E-mail': fromField('/email') } }
        : step,
    ),
  };

  test('what only one of them changed is taken, in whichever order they come', () => {
    const one = mergeDrafts(base, noted, mapped);
    const other = mergeDrafts(base, mapped, noted);
    expect(one.ok && other.ok).toBe(true);
    if (!one.ok || !other.ok) return;
    expect(one.content).toEqual(other.content);
    expect(one.content.steps[0]?.note).toBe('agent');
    expect(one.content.steps[1]).toMatchObject({ mapping: { '/E-mail': fromField('/email') } });
  });

  test('both changing one mapping is a clash, and both adding a sentence keeps both', () => {
    const otherwise: WorkflowContent = {
      ...base,
      steps: base.steps.map((step) =>
        step.kind === 'write' ? { ...step, mapping: { ...step.mapping, '/E-mail': fromField('/name') } } : step,
      ),
    };
    expect(mergeDrafts(base, mapped, otherwise)).toMatchObject({ ok: false });
    const added = (id: string): WorkflowContent => ({
      ...base,
      steps: [...base.steps, { ...(keepBritish as Step), id } as Step],
    });
    const both = mergeDrafts(base, added('a'), added('b'));
    expect(both.ok && both.content.steps.map((step) => step.id).sort()).toEqual(['a', 'b', 'keep', 'list']);
  });

  test('a draft joined with an unchanged one is itself, whatever was done to it', () => {
    const edits = fc.array(
      fc.constantFrom<(content: WorkflowContent) => WorkflowContent>(
        (content) => ({ ...content, name: `${content.name}!` }),
        (content) => moveStep(content, 'list', 0),
        (content) => duplicateStep(content, 'keep').content,
        (content) => ({ ...content, steps: content.steps.slice(1) }),
        (content) => ({ ...content, start: { ...content.start, trigger: { kind: 'every', minutes: 15 } } }),
      ),
      { maxLength: 5 },
    );
    fc.assert(
      fc.property(edits, (all) => {
        const mine = all.reduce((content, edit) => edit(content), base);
        expect(mergeDrafts(base, mine, base)).toEqual({ ok: true, content: mine });
        expect(mergeDrafts(base, base, mine)).toEqual({ ok: true, content: mine });
      }),
      { seed: 11, numRuns: 60 },
    );
  });
});

describe('changes in sentences', () => {
  test('a renamed workflow, a new filling, a sentence switched off: each is told once', () => {
    const after: WorkflowContent = {
      ...base,
      name: 'Customers onto the desk’s list',
      steps: base.steps.map((step) =>
        step.kind === 'write'
          ? { ...step, mapping: { ...step.mapping, '/E-mail': fromField('/email', { kind: 'lower' }) } }
          : { ...step, isOff: true },
      ),
    };
    expect(describeChanges(base, after, names, locale).map((one) => one.text)).toEqual([
      'Renamed from “Customers onto the list” to “Customers onto the desk’s list”.',
      '“Keep those whose address · country is one of GB, IE.” is switched off.',
      '“E-mail” is filled with email, lower case.',
    ]);
  });

  test('marks on proposals are no change', () => {
    const marked = contentWith([keepBritish, writeToList({ suggested: { '/Name': 'same name' } })]);
    expect(describeChanges(base, marked, names, locale)).toEqual([]);
    expect(withoutMarks(marked)).toEqual(base);
  });

  test('every edit that counts for running gives at least one sentence', () => {
    const edits: ((content: WorkflowContent) => WorkflowContent)[] = [
      (content) => ({ ...content, start: { ...content.start, on: 'added_or_changed' } }),
      (content) => ({ ...content, start: { ...content.start, fields: ['/name'] } }),
      (content) => ({ ...content, start: { ...content.start, mostPerRun: 100 } }),
      (content) => ({ ...content, start: { ...content.start, gather: { records: 50, minutes: 60 } } }),
      (content) => ({ ...content, zone: 'Europe/Berlin' }),
      (content) => moveStep(content, 'list', 0),
      (content) => ({ ...content, steps: content.steps.slice(0, 1) }),
    ];
    for (const edit of edits) expect(describeChanges(base, edit(base), names, locale)).not.toEqual([]);
  });
});

describe('moving, doubling and trying a sentence', () => {
  const second = writeToList({
    id: 'copy',
    mapping: {
      '/Number': { kind: 'field', ref: { step: 'list', path: '/Number' }, tidies: [] },
      '/Name': fromField('/name'),
    },
  });
  const content = contentWith([keepBritish, writeToList(), second]);

  test('moving a write before the one whose result it reads shows what would break', () => {
    const moved = moveStep(content, 'copy', 0);
    expect(moved.steps.map((step) => step.id)).toEqual(['copy', 'keep', 'list']);
    expect(newProblems(content, moved).map((one) => one.message)).toEqual([
      '“Number” is filled with a field that doesn’t exist here.',
    ]);
    expect(newProblems(content, moveStep(content, 'keep', 2))).toEqual([]);
  });

  test('moving there and back changes nothing', () => {
    fc.assert(
      fc.property(fc.constantFrom('keep', 'list', 'copy'), fc.nat(5), (id, to) => {
        const at = content.steps.findIndex((step) => step.id === id);
        expect(moveStep(moveStep(content, id, to), id, at)).toEqual(content);
      }),
      { seed: 5 },
    );
  });

  test('a double stands right behind with an id of its own', () => {
    const { content: doubled, id } = duplicateStep(content, 'list');
    expect(doubled.steps.map((step) => step.id)).toEqual(['keep', 'list', id, 'copy']);
    expect(new Set(doubled.steps.map((step) => step.id)).size).toBe(4);
  });

  test('tried alone, a write brings along only the writes whose results it reads', () => {
    expect(onlyStep(content, 'copy').steps.map((step) => step.id)).toEqual(['list', 'copy']);
    expect(onlyStep(content, 'list').steps.map((step) => step.id)).toEqual(['list']);
  });
});

describe('starts', () => {
  const startOf = (more: Partial<WorkflowContent['start']>) => contentWith([writeToList()], more);
  const said = (content: WorkflowContent) => sentenceText(writeBrief(content, names)[0] ?? { id: '', phrases: [] });

  test('each event is said in its own sentence', () => {
    expect(said(startOf({ on: 'removed' }))).toContain('When a customer is removed in the Shop counter');
    expect(said(startOf({ on: 'becomes', becomes: { path: '/name', value: 'paid' } }))).toContain(
      'When the name of a customer becomes “paid” in the Shop counter',
    );
    expect(said(startOf({ also: { kind: 'all' }, mostPerRun: 50 }))).toContain(
      'and all that stand beside it, now and later, which is checked every 5 minutes, as soon as it meets the conditions, at most 50 at a time',
    );
  });

  test('what is missing or can’t be is told', () => {
    const blocks = (more: Partial<WorkflowContent['start']>) =>
      checkReadiness(startOf(more))
        .filter((one) => one.severity === 'blocks')
        .map((one) => one.message);
    expect(blocks({ on: 'becomes' })).toEqual(['Choose the field whose change starts it.']);
    expect(blocks({ on: 'becomes', becomes: { path: '/name', value: ' ' } })).toEqual([
      'Choose the value that the field must get.',
    ]);
    expect(blocks({ on: 'removed', fromWhen: { kind: 'all' } })[0]).toContain('can’t be listed');
    expect(blocks({ on: 'becomes', becomes: { path: '/name', value: 'x' }, fields: ['/id', '/phone'] })[0]).toContain(
      'must include the one that the start needs',
    );
  });

  test('a field that isn’t fetched isn’t known to any sentence', () => {
    const content = startOf({ fields: ['/id', '/phone'] });
    expect(checkReadiness(content).map((one) => one.message)).toContain(
      '“Name” is filled with a field that doesn’t exist here.',
    );
  });

  test('a test that is switched off asks nothing and isn’t said', () => {
    const content = contentWith([
      {
        id: 'keep',
        kind: 'condition',
        condition: {
          kind: 'all',
          items: [{ kind: 'test', ref: { step: 'start', path: '/name' }, operator: 'is', values: ['x'], isOff: true }],
        },
      },
      writeToList(),
    ]);
    expect(sentenceText(writeBrief(content, names)[1] ?? { id: '', phrases: [] })).toBe(
      'Keep those of which a test is met.',
    );
  });
});

describe('a workflow as a file', () => {
  const file = { kind: fileKind, version: 1, exportedAt: '2026-11-23T12:00:00Z', connections: [], content: base };

  test('it is read back as it was written', () => {
    const read = readWorkflowFile(JSON.stringify(file));
    expect(read).toEqual({ ok: true, file });
  });

  test.each([
    ['a,b\n1,2', 'This is not a JSON file.'],
    ['{"name":"x"}', 'is not an exported workflow'],
    ['[]', 'is not an exported workflow'],
    [JSON.stringify({ ...file, version: 9 }), 'a newer version (9)'],
    [JSON.stringify({ ...file, content: { ...base, steps: 3 } }), 'damaged at content → steps'],
  ])('%.20s … is refused with a sentence', (text, sentence) => {
    const read = readWorkflowFile(text);
    expect(read.ok ? '' : read.message).toContain(sentence);
  });

  test('connections are exchanged in every place', () => {
    const swapped = withConnections(base, { shop: 'other shop', shelf: 'other shelf' });
    expect(swapped.start.source?.connection).toBe('other shop');
    expect(swapped.steps[1]).toMatchObject({ target: { connection: 'other shelf' } });
  });
});
