import { emptyContent, formatPointer, type Start, type WorkflowContent } from '@golden/core';
import ExcelJS from 'exceljs';
import fc from 'fast-check';
import type { KillPoint } from '../../seams.ts';
import { productAroundEach } from '../around.ts';
import { settled, unbalanced } from '../checks.ts';
import type { TestClock } from '../clock.ts';
import { dropAt } from '../drop.ts';
import { customersToApp, type PeopleApp, peopleApp, peopleDescription } from '../people-app.ts';
import { customer, customersWorkflow, emptyWorkbook, fieldFilling, openServices, placeOf, rowsOf } from '../world.ts';

// The truth from outside, for what we wrote ourselves: one workflow writes where another begins, in an app and in a
// workbook, people work in both places too, anything is taken back, and the server is killed. In the end the second
// one has brought on whatever a person did, with what they wrote last, and nothing of what only we did.

const around = productAroundEach();

type Command =
  | { readonly do: 'shop'; readonly no: number }
  /** Somebody types a person into the app, or a row into the workbook. */
  | { readonly do: 'add'; readonly where: Where }
  /** Somebody writes something beside a record that is there, whoever made it. */
  | { readonly do: 'edit'; readonly where: Where; readonly at: number }
  /** Somebody puts back what stood there before, by hand. */
  | { readonly do: 'put_back'; readonly at: number }
  | { readonly do: 'look'; readonly which: number }
  | { readonly do: 'take_back'; readonly at: number }
  | { readonly do: 'drop_at'; readonly point: KillPoint; readonly passes: number };
type Where = 'app' | 'book';

const points = [
  'take-in:before-store',
  'take-in:after-store',
  'intent:after-store',
  'send:after',
  'result:before-store',
  'result:after-store',
  'read-back:after',
  'outcome:after-store',
  'file:after-put',
  'take-back:after-send',
  'take-back:before-result',
] as const;

const where = fc.constantFrom<Where>('app', 'book');
const commands = fc.array(
  fc.oneof(
    { weight: 4, arbitrary: fc.record({ do: fc.constant('shop' as const), no: fc.nat(3) }) },
    { weight: 2, arbitrary: fc.record({ do: fc.constant('add' as const), where }) },
    { weight: 4, arbitrary: fc.record({ do: fc.constant('edit' as const), where, at: fc.nat(9) }) },
    { weight: 1, arbitrary: fc.record({ do: fc.constant('put_back' as const), at: fc.nat(9) }) },
    { weight: 8, arbitrary: fc.record({ do: fc.constant('look' as const), which: fc.nat(3) }) },
    { weight: 1, arbitrary: fc.record({ do: fc.constant('take_back' as const), at: fc.nat(9) }) },
    {
      weight: 2,
      arbitrary: fc.record({
        do: fc.constant('drop_at' as const),
        point: fc.constantFrom(...points),
        passes: fc.nat(1),
      }),
    },
  ),
  { minLength: 8, maxLength: 30 },
);

const listed = ['Key', 'Name', 'Remark'];

class Life {
  private readonly workflows: string[] = [];
  /** What a person wrote last beside each record that they had to do with, by its key. */
  readonly touched = { app: new Map<string, string>(), book: new Map<string, string>() };
  private written = 0;
  private dropped: Promise<void> | undefined;
  private isDropped = false;

  constructor(private readonly app: PeopleApp) {}

  async begin(): Promise<void> {
    const { world, connected } = around;
    around.services = await openServices(world, { descriptions: [peopleDescription('lookup')] });
    const { services } = around;
    for (const [file, names] of [
      ['people.xlsx', listed],
      ['rows.xlsx', listed],
      ['customers.xlsx', ['Number', 'Name', 'E-mail', 'Phone', 'Postcode', 'Since', 'Remark']],
    ] as const)
      world.shelf.files.replace(
        file,
        await emptyWorkbook(file === 'customers.xlsx' ? 'Customers' : 'List', names),
        undefined,
      );
    const toApp = await customersToApp(services, connected, this.app, 'lookup', { on: 'added_or_changed' });
    const toBook = await customersWorkflow(services, connected, { on: 'added_or_changed' });
    const fromApp = await this.copy(toApp.connection, ['people'], 'people.xlsx', {
      Key: '/id',
      Name: '/name',
      Remark: '/ref',
    });
    const columns = { Key: '/Number', Name: '/Name', Remark: '/Remark' };
    const fromBook = await this.copy(connected.shelf, ['customers.xlsx', 'Customers'], 'rows.xlsx', columns, '/Number');
    this.workflows.push(toApp.workflow, toBook, fromApp, fromBook);
    for (const id of this.workflows) {
      await services.engine.finish((await services.engine.makeLive(id)).run);
      await settled(services);
    }
  }

  /** A workflow that brings what is added or changed in a place onto a list. */
  private async copy(
    connection: string,
    path: string[],
    file: string,
    mapping: Readonly<Record<string, string>>,
    identity?: Start['identity'],
  ): Promise<string> {
    const { services, connected } = around;
    const empty = emptyContent(file);
    const content: WorkflowContent = {
      ...empty,
      start: {
        ...empty.start,
        source: await placeOf(services, connection, path),
        on: 'added_or_changed',
        waitsToFit: undefined,
        ...(identity && { identity }),
      },
      steps: [
        {
          id: 'list',
          kind: 'write',
          target: await placeOf(services, connected.shelf, [file, 'List']),
          mode: 'create_or_update',
          firstDifference: 'source',
          key: formatPointer(['Key']),
          mapping: Object.fromEntries(
            Object.entries(mapping).map(([to, from]) => [formatPointer([to]), fieldFilling(from)]),
          ),
        },
      ],
    };
    return (await services.workflows.add(content)).id;
  }

  async carryOut(command: Command): Promise<void> {
    switch (command.do) {
      case 'shop':
        this.shop(command.no);
        break;
      case 'add':
        if (command.where === 'app') this.addPerson();
        else await this.inBook((sheet) => this.addRow(sheet));
        break;
      case 'edit':
        if (command.where === 'app') this.editPerson(command.at);
        else await this.inBook((sheet) => this.editRow(sheet, command.at));
        break;
      case 'put_back':
        this.putBack(command.at);
        break;
      case 'look':
        await this.look(command.which);
        break;
      case 'take_back':
        await this.takeBack(command.at);
        break;
      case 'drop_at':
        this.isDropped = false;
        this.dropped = dropAt(around.services, command.point, command.passes).then(() => {
          this.isDropped = true;
        });
        break;
    }
  }

  /** A customer comes, or changes their name. */
  private shop(no: number): void {
    const { store } = around.world.shop;
    this.written += 1;
    const email = `ada${no}@clay.example`;
    const [known] = store.page(1, undefined, undefined, email).data;
    if (known) store.change(known.id, { first_name: `Ada ${this.written}` });
    else store.add(customer({ email, first_name: `Ada ${this.written}` }));
  }

  private addPerson(): void {
    this.written += 1;
    const id = `typed-${this.written}`;
    this.app.people.push({ id, email: `${id}@clay.example`, name: id, ref: null });
    this.touched.app.set(id, '');
  }

  private editPerson(at: number): void {
    const one = this.app.people[at % Math.max(1, this.app.people.length)];
    if (!one) return;
    this.written += 1;
    one.ref = `remark ${this.written}`;
    this.touched.app.set(one.id, one.ref);
  }

  /** A person writes the name that the shop had before: not what we left there, though we once did. */
  private putBack(at: number): void {
    const one = this.app.people[at % Math.max(1, this.app.people.length)];
    if (!one?.name.startsWith('Ada')) return;
    one.name = 'Ada 1';
    one.ref = `put back ${++this.written}`;
    this.touched.app.set(one.id, one.ref);
  }

  private addRow(sheet: ExcelJS.Worksheet): void {
    this.written += 1;
    const number = 90_000 + this.written;
    sheet.addRow([number, `typed ${number}`]);
    this.touched.book.set(String(number), '');
  }

  private editRow(sheet: ExcelJS.Worksheet, at: number): void {
    if (sheet.rowCount < 2) return;
    const row = sheet.getRow(2 + (at % (sheet.rowCount - 1)));
    const key = row.getCell(1).text;
    if (key === '') return;
    this.written += 1;
    row.getCell(7).value = `remark ${this.written}`;
    this.touched.book.set(key, `remark ${this.written}`);
  }

  /** Somebody opens the workbook, changes it and saves it. */
  private async inBook(change: (sheet: ExcelJS.Worksheet) => void): Promise<void> {
    const { files } = around.world.shelf;
    const book = new ExcelJS.Workbook();
    await book.xlsx.load((files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0)) as unknown as ArrayBuffer);
    const sheet = book.getWorksheet('Customers');
    if (sheet) change(sheet);
    files.replace('customers.xlsx', Buffer.from(await book.xlsx.writeBuffer()), undefined);
  }

  private async look(which: number): Promise<void> {
    const id = this.workflows[which] ?? '';
    await this.survive(async () => {
      await around.services.engine.finish(await around.services.engine.checkNow(id));
      await settled(around.services);
    });
  }

  /** A person takes back what the first workflow did. */
  private async takeBack(at: number): Promise<void> {
    const { db, engine } = around.services;
    const done = await db
      .selectFrom('item')
      .select('id')
      .where('workflow_id', '=', this.workflows[at % 2] ?? '')
      .where('state', '=', 'delivered')
      .orderBy('seq')
      .execute();
    const item = done[at % Math.max(1, done.length)];
    // What somebody has changed since isn't taken back.
    if (item) await this.survive(() => engine.takeBack(item.id).catch(() => undefined));
  }

  /** Does something, over as many processes as it takes until everything is at rest. */
  private async survive(work: () => Promise<unknown>): Promise<void> {
    const ended = this.dropped?.then((): false => false) ?? new Promise<false>(() => undefined);
    const resting = work().then(
      () => true,
      () => !this.isDropped,
    );
    if ((await Promise.race([resting, ended])) && !this.isDropped) return;
    await this.reopen();
  }

  private async reopen(): Promise<void> {
    const next = (around.services.seams as TestClock).next();
    this.dropped = undefined;
    this.isDropped = false;
    around.services = await openServices(around.world, { seams: next, descriptions: [peopleDescription('lookup')] });
    await around.services.engine.resume();
    await settled(around.services);
    await around.services.engine.tick();
    await settled(around.services);
  }

  /** Everything that is still to be brought on is. */
  async end(): Promise<void> {
    (around.services.seams as TestClock).onReach = () => undefined;
    for (const which of [0, 1, 2, 3, 2, 3]) await this.look(which);
  }

  /** What the lists hold of each record, and what they ought to. */
  async compared(): Promise<readonly (readonly [string[], string[]])[]> {
    const lines = async (file: string): Promise<string[]> =>
      (await rowsOf(around.world.shelf.files.get(file)?.bytes ?? Buffer.alloc(0), 'List'))
        .filter((row) => row['Key'] !== null)
        .map((row) => `${row['Key']} ${row['Remark'] ?? ''}`)
        .sort();
    const wanted = (map: ReadonlyMap<string, string>): string[] =>
      [...map].map(([key, said]) => `${key} ${said}`).sort();
    return [
      [await lines('people.xlsx'), wanted(this.touched.app)],
      [await lines('rows.xlsx'), wanted(this.touched.book)],
    ];
  }
}

async function livedThrough(given: readonly Command[]): Promise<void> {
  const app = await peopleApp();
  try {
    const life = new Life(app);
    await life.begin();
    for (const command of given) await life.carryOut(command);
    await life.end();
    for (const [there, wanted] of await life.compared()) expect(there).toEqual(wanted);
    expect(await unbalanced(around.services)).toEqual([]);
  } finally {
    await app.at.close();
  }
}

// Each life has a product of its own.
test.each(Array.from({ length: 12 }, (_, at) => at))(
  'life %i: what people did is brought on, and nothing of what only we did',
  async (at) => {
    const [given = []] = fc.sample(commands, { numRuns: 1, seed: 2026 + at });
    await livedThrough(given);
  },
);
