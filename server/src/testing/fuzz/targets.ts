import { createServer, type Server } from 'node:http';
import { AppError, appsFor, openBook, type RestDescription, UnreadableWorkbook } from '@golden/connectors';
import {
  type GivenRow,
  mappingRows,
  readMappingRows,
  readWorkflowFile,
  toText,
  type Value,
  WorkflowContentSchema,
  type WriteStep,
  writeSteps,
} from '@golden/core';
import ExcelJS from 'exceljs';
import fc from 'fast-check';
import JSZip from 'jszip';
import { describeApi } from '../../api/openapi.ts';
import { routes } from '../../api/routes.ts';
import { fromSchema } from './from-schema.ts';
import { type Mutation, mutate, mutations, oddText } from './odd.ts';
import { type FuzzedProduct, openFuzzed } from './product.ts';

/** Something that is fed with odd input. It throws where the input did harm. */
export interface FuzzTarget {
  readonly name: string;
  /** Opens what is fed; `feed` takes one input of `inputs`. */
  open(): Promise<{ inputs: fc.Arbitrary<unknown>; feed(input: never): Promise<void>; close(): Promise<void> }>;
}

type Json = Record<string, unknown>;

/** A place of an id that is known only when the request is made. */
const known = fc.nat(80).map((at) => `§${at}`);

const fill = (value: unknown, ids: readonly string[]): unknown =>
  value === undefined
    ? undefined
    : JSON.parse(JSON.stringify(value).replace(/§(\d+)/g, (_, at: string) => ids[Number(at) % ids.length] ?? ''));

interface ApiInput {
  readonly at: number;
  readonly params: readonly string[];
  readonly query: Json;
  readonly body: unknown;
}

/** Routes that would leave the product without what the others are asked about, or never end. */
const leftOut = new Set(['DELETE /api/workflows/:id', 'DELETE /api/connections/:id', 'GET /api/events']);

/** Every request is answered by data or by a sentence, whatever it holds. */
const api: FuzzTarget = {
  name: 'interface',
  open: async () => {
    const product = await openFuzzed();
    const document = describeApi(routes) as { paths: Json; components: { schemas: Json } };
    const { schemas } = document.components;
    const asked = Object.entries(document.paths).flatMap(([path, item]) =>
      Object.entries(item as Json).map(([method, route]) => ({
        method: method.toUpperCase(),
        path,
        route: route as Json,
      })),
    );
    const some = asked.filter(({ method, path }) => !leftOut.has(`${method} ${path.replace(/\{(\w+)\}/g, ':$1')}`));
    const inputs = fc.nat(some.length - 1).chain((at): fc.Arbitrary<ApiInput> => {
      const { route } = some[at] as (typeof some)[number];
      const parameters = (route['parameters'] ?? []) as { name: string; in: string; required: boolean; schema: Json }[];
      const inQuery = parameters.filter((one) => one.in === 'query');
      const content = (route['requestBody'] as { content: Json } | undefined)?.content['application/json'] as
        | { schema: Json }
        | undefined;
      return fc.record({
        at: fc.constant(at),
        params: fc.array(fc.oneof({ weight: 6, arbitrary: known }, { weight: 1, arbitrary: oddText }), {
          minLength: 3,
          maxLength: 3,
        }),
        query: fc.record(
          Object.fromEntries(inQuery.map(({ name, schema }) => [name, fromSchema(schema, schemas, known)])),
          { requiredKeys: inQuery.filter((one) => one.required).map(({ name }) => name) },
        ) as fc.Arbitrary<Json>,
        body: content ? fromSchema(content.schema, schemas, known) : fc.constant(undefined),
      });
    });
    return {
      inputs,
      feed: async (input: ApiInput) => {
        const { method, path } = some[input.at] as (typeof some)[number];
        const ids = await product.known();
        const params = fill(input.params, ids) as string[];
        let at = 0;
        const filled = path.replace(/\{\w+\}/g, () =>
          encodeURIComponent((params[at++] ?? 'x').replace(/[\ud800-\udfff]/g, '')),
        );
        const query = new URLSearchParams();
        for (const [name, value] of Object.entries(fill(input.query, ids) as Json))
          for (const one of [value].flat(3)) query.append(name, typeof one === 'string' ? one : JSON.stringify(one));
        await product.ask(method, `${filled}?${query}`, fill(input.body, ids));
        await product.expectStanding();
      },
      close: () => product.close(),
    };
  },
};

interface ContentInput {
  readonly which: number;
  readonly changes: readonly Mutation[];
  readonly cut: number;
}

const contentInputs = fc.record({
  which: fc.nat(10),
  changes: mutations(4),
  /** Now and then the text itself is cut. */
  cut: fc.oneof({ weight: 20, arbitrary: fc.constant(0) }, { weight: 1, arbitrary: fc.nat(3000) }),
});

/** Everything that looks at a draft, or uses it. */
async function lookAtAll(product: FuzzedProduct, id: string, content: { steps?: unknown }): Promise<void> {
  const at = `/api/workflows/${encodeURIComponent(id)}`;
  const steps = Array.isArray(content.steps) ? content.steps : [];
  const stepIds = steps.map((step) => String((step as Json | null)?.['id'] ?? 'x')).slice(0, 3);
  const asked: [string, string, unknown?][] = [
    ['GET', at],
    ...['versions', 'samples', 'profile', 'drift', 'counts', 'lookups', 'between', 'export', 'rehearsal'].map(
      (part): [string, string] => ['GET', `${at}/${part}`],
    ),
    ['GET', `${at}/swap?from=x&to=y`],
    ...stepIds.flatMap((step): [string, string, unknown][] => [
      ['POST', `${at}/try`, { step }],
      ['POST', `${at}/payload`, { step, sourceId: '10001', record: { id: 10_001, email: 'a@b.example' } }],
    ]),
    ['POST', `${at}/rehearsal`, { scope: 'samples' }],
    ['GET', `${at}/rehearsal/items`],
    ['DELETE', `${at}/rehearsal`],
    ['POST', `${at}/live`],
    ['POST', `${at}/check`],
    ['POST', `${at}/off`],
  ];
  for (const [method, path, body] of asked) {
    await product.ask(method, path, body);
  }
  await product.expectStanding();
  await product.ask('DELETE', at);
}

/** A draft that was tampered with is refused, or looked at and used without harm. */
const drafts: FuzzTarget = {
  name: 'drafts',
  open: async () => {
    const product = await openFuzzed();
    return {
      inputs: contentInputs,
      feed: async ({ which, changes }: ContentInput) => {
        const { contents } = product;
        const content = mutate(contents[which % contents.length], changes) as { steps?: unknown };
        const made = await product.ask('POST', '/api/workflows', { name: 'Fuzzed' });
        const { id } = made.body as { id: string };
        const saved = await product.ask('PUT', `/api/workflows/${id}/draft`, { content, rev: 1 });
        if (saved.status === 200) await lookAtAll(product, id, content);
        else await product.ask('DELETE', `/api/workflows/${id}`);
      },
      close: () => product.close(),
    };
  },
};

/** A file that was tampered with is refused in a sentence, or imported without harm. */
const files: FuzzTarget = {
  name: 'workflow files',
  open: async () => {
    const product = await openFuzzed();
    const { services } = product;
    const connections = (await services.connections.list()).map(({ id, app, name }) => ({ id, app, name }));
    return {
      inputs: contentInputs,
      feed: async ({ which, changes, cut }: ContentInput) => {
        const content = product.contents[which % product.contents.length];
        const file = {
          kind: 'golden-relay/workflow',
          version: 1,
          exportedAt: '2026-11-27T09:00:00Z',
          connections,
          content,
        };
        const whole = JSON.stringify(mutate(file, changes));
        const text = cut === 0 ? whole : whole.slice(0, cut);
        readWorkflowFile(text);
        await product.ask('POST', '/api/workflows/import/look', { text });
        const by = Object.fromEntries(connections.map(({ id }) => [id, id]));
        const made = await product.ask('POST', '/api/workflows/import', { text, connections: by });
        await product.expectStanding();
        if (made.status === 200)
          await lookAtAll(
            product,
            (made.body as { id: string }).id,
            (made.body as { content: { steps: unknown } }).content,
          );
      },
      close: () => product.close(),
    };
  },
};

/** A mapping table that was tampered with is refused row by row; what it makes can be stored. */
const tables: FuzzTarget = {
  name: 'mapping tables',
  open: async () => {
    const product = await openFuzzed();
    const { contents } = product;
    await product.close();
    const locale = { zone: 'Europe/London', country: 'GB' };
    return {
      inputs: contentInputs,
      feed: async ({ which, changes }: ContentInput) => {
        const content = contents[which % contents.length] as (typeof contents)[number];
        for (const step of writeSteps(content)) {
          const rows: GivenRow[] = mappingRows(content, step, locale).map(({ filledWith: _words, ...row }) => ({
            ...row,
          }));
          const given = ([mutate({ rows }, changes).rows].flat() as unknown[]).flatMap((row): GivenRow[] => {
            if (typeof row !== 'object' || row === null) return [];
            const { field, formula, note } = row as Record<string, unknown>;
            const text = (value: unknown): string | undefined =>
              value === undefined ? undefined : toText(value as Value);
            return [{ field: text(field) ?? '', formula: text(formula), note: text(note) }];
          });
          const read = readMappingRows(content, step, given);
          const steps = content.steps.map((one) => (one.id === step.id ? read.step : one));
          WorkflowContentSchema.parse(JSON.parse(JSON.stringify({ ...content, steps })));
          const untouched = given.every(({ note }) => note === undefined);
          if (untouched && JSON.stringify(read.step.notes) !== JSON.stringify((step as WriteStep).notes))
            throw new Error('Notes were changed by a table without them.');
        }
      },
      close: async () => undefined,
    };
  },
};

/** Opens a file; what can't be read is told as such. */
async function openSafely(name: string, bytes: Uint8Array): Promise<void> {
  try {
    const book = await openBook(name, bytes);
    for (const { rows, columns } of book.sheets)
      if (rows.find(({ record }) => Object.keys(record).length > columns.length))
        throw new Error('A row has more fields than its tab has columns.');
  } catch (error) {
    if (!(error instanceof UnreadableWorkbook)) throw error;
  }
}

interface BytesInput {
  readonly part: number;
  readonly at: number;
  readonly length: number;
  readonly text: string;
  readonly isWhole: boolean;
}

const bytesInputs: fc.Arbitrary<BytesInput> = fc.record({
  part: fc.nat(20),
  at: fc.nat(20_000),
  length: fc.nat(60),
  text: fc.oneof(
    oddText,
    fc.constantFrom(
      '<c r="XFD1"><v>7</v></c>',
      '<c r="A9999999"><v>7</v></c>',
      '<mergeCell ref="A1:XFD90"/>',
      '<row r="-1"/>',
      't="s"',
      't="e"',
      '<v>1e999</v>',
      '<f>A1</f>',
      '&lt;&#0;',
      '<!DOCTYPE x [<!ENTITY a "aaaa">]>&a;',
      '"a","b\n',
      '\r\r\n"',
      ';;;;\n',
      '\u0000\u0000',
    ),
  ),
  /** The packed file itself is changed, not one of its parts. */
  isWhole: fc.boolean(),
});

const changedText = (text: string, { at, length, text: put }: BytesInput): string => {
  const from = at % (text.length + 1);
  return text.slice(0, from) + put + text.slice(from + length);
};

async function someWorkbook(): Promise<Uint8Array> {
  const book = new ExcelJS.Workbook();
  const tab = book.addWorksheet('Stock');
  tab.addRow(['Article', 'Net', 'From', 'Sold', 'Sum']);
  for (let at = 0; at < 5; at++)
    tab.addRow([`0042${at}`, 11.4, new Date('2026-03-04T00:00:00Z'), true, { formula: 'B2*2', result: 22.8 }]);
  tab.mergeCells('A8:B9');
  tab.getCell('C2').note = 'as on the van';
  book.addWorksheet('Empty');
  return new Uint8Array(await book.xlsx.writeBuffer());
}

/** A workbook that was tampered with is read, or told as unreadable. */
const workbooks: FuzzTarget = {
  name: 'workbooks',
  open: async () => {
    const whole = Buffer.from(await someWorkbook());
    const names = Object.keys((await JSZip.loadAsync(whole)).files).filter((name) => name.endsWith('.xml'));
    return {
      inputs: bytesInputs,
      feed: async (input: BytesInput) => {
        if (input.isWhole)
          return openSafely('x.xlsx', Buffer.from(changedText(whole.toString('latin1'), input), 'latin1'));
        const zip = await JSZip.loadAsync(whole);
        const name = names[input.part % names.length] as string;
        zip.file(name, changedText((await zip.file(name)?.async('string')) ?? '', input));
        return openSafely('x.xlsx', await zip.generateAsync({ type: 'uint8array', compression: 'DEFLATE' }));
      },
      close: async () => undefined,
    };
  },
};

/** Any bytes called .csv are read, or told as unreadable; what was read can be saved and read the same. */
const csv: FuzzTarget = {
  name: 'CSV',
  open: async () => ({
    inputs: bytesInputs,
    feed: async (input: BytesInput) => {
      const text = changedText('Number,Name;x\n1,"Ada, Nair"\r\n2,"a ""b"" c"\n\n3\n', input);
      const bytes = Buffer.from(text, input.isWhole ? 'utf8' : 'latin1');
      await openSafely('x.csv', bytes);
      const book = await openBook('x.csv', bytes).catch(() => undefined);
      if (!book || book.readOnlyBecause) return;
      const [sheet] = book.sheets;
      if (!sheet || sheet.columns.length === 0) return;
      // A row below the last one, and a cell among the rows: all others read as before.
      const cells = cellsOf(sheet);
      const longer = book.anew();
      longer.setCells(sheet.name, cells.length + 2, [{ column: 1, value: 'added', type: 'text' }]);
      await expectCells(await longer.save(), [...cells, ['added', ...sheet.columns.slice(1).map(() => '')]]);
      const [first, ...others] = cells;
      if (!first) return;
      const changed = book.anew();
      changed.setCells(sheet.name, 2, [{ column: 1, value: 'changed', type: 'text' }]);
      await expectCells(await changed.save(), [['changed', ...first.slice(1)], ...others]);
    },
    close: async () => undefined,
  }),
};

type ReadSheet = Awaited<ReturnType<typeof openBook>>['sheets'][number];
/** In the order of the columns, which is not that of a record's names where some are numbers. */
const cellsOf = ({ columns, rows }: ReadSheet): unknown[][] =>
  rows.map(({ record }) => columns.map(({ name }) => record[name]));

/** What a CSV file is read as after it was saved; what is empty and what is missing at a row's end is the same. */
async function expectCells(bytes: Uint8Array, wanted: readonly (readonly unknown[])[]): Promise<void> {
  const text = (rows: readonly (readonly unknown[])[]): string =>
    JSON.stringify(rows.map((row) => row.map((one) => one ?? '')));
  const [sheet] = (await openBook('x.csv', bytes)).sheets;
  const read = sheet ? cellsOf(sheet) : [];
  if (text(read) !== text(wanted)) throw new Error(`Saved, it reads otherwise: ${text(wanted)} ${text(read)}`);
}

const wild: RestDescription = {
  id: 'wild',
  title: 'Wild',
  openapi: '/openapi.json',
  me: { path: '/me', signedInAs: ['/name'] },
  recordTypes: [
    {
      name: 'leads',
      singular: 'lead',
      plural: 'leads',
      schema: 'Lead',
      inputSchema: 'LeadInput',
      id: '/id',
      list: { path: '/leads', items: '' },
    },
  ],
};
const leadSchema = {
  type: 'object',
  required: ['id'],
  properties: {
    id: { type: 'integer', readOnly: true },
    name: { type: ['string', 'null'], maxLength: 40, pattern: '^[A-Z]' },
    total: { type: 'integer', format: 'money-minor', 'x-currency': '/currency' },
    currency: { type: 'string', enum: ['GBP', 'EUR'] },
    address: { anyOf: [{ $ref: '#/components/schemas/Address' }, { type: 'null' }] },
    lines: { type: 'array', items: { $ref: '#/components/schemas/Line' } },
  },
};
const document = {
  openapi: '3.1.0',
  info: { title: 'Wild', version: '1' },
  paths: {},
  components: {
    schemas: {
      Lead: leadSchema,
      LeadInput: { ...leadSchema, required: ['name'] },
      Address: { type: 'object', properties: { city: { type: 'string' }, of: { $ref: '#/components/schemas/Lead' } } },
      Line: { type: 'object', properties: { sku: { type: 'string' }, line: { $ref: '#/components/schemas/Line' } } },
    },
  },
};

/** An app's own description, however odd, gives fields or a sentence; so does what it lists. */
const openApiDocuments: FuzzTarget = {
  name: 'OpenAPI documents',
  open: async () => {
    let answer: (path: string) => unknown = () => ({});
    const server: Server = createServer((request, response) => {
      response.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(answer(request.url ?? '')));
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const address = `http://127.0.0.1:${(server.address() as { port: number }).port}`;
    return {
      inputs: fc.record({
        changes: mutations(4),
        records: fc.array(fc.constant(null), { maxLength: 2 }),
        more: mutations(3),
      }),
      feed: async ({ changes, more }: { changes: readonly Mutation[]; more: readonly Mutation[] }) => {
        const told = mutate(document, changes);
        const listed = mutate([{ id: 7, name: 'Ada', total: 1250, currency: 'GBP', lines: [{ sku: 'a' }] }], more);
        answer = (path) => (path.startsWith('/openapi') ? told : path.startsWith('/me') ? { name: 'Mira' } : listed);
        const connector = appsFor([wild], {})
          .find(({ id }) => id === 'wild')
          ?.open({ address, key: 'k' }, { retries: 0, timeout: 5000 });
        const said = async (work: Promise<unknown> | undefined): Promise<void> => {
          try {
            await work;
          } catch (error) {
            if (!(error instanceof AppError)) throw error;
          }
        };
        await said(connector?.describe(['leads']));
        await said(connector?.list({ path: ['leads'] }));
        await said(connector?.fetch(['leads'], '7'));
        await said(
          connector?.payload?.({
            token: 't',
            write: {
              kind: 'create',
              target: { connection: 'c', path: ['leads'], recordType: 'leads' },
              values: { '/name': 'Ada', '/total': '12.50', '/address/city': 'x' },
              types: {},
            },
          }),
        );
      },
      close: async () => {
        server.closeAllConnections();
        server.close();
      },
    };
  },
};

export const targets: readonly FuzzTarget[] = [api, drafts, files, tables, workbooks, csv, openApiDocuments];
