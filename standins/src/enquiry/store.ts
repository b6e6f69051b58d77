import Database from 'better-sqlite3';
import { RecordTable } from '../kit/records.ts';
import { standardSigning } from '../kit/standard-signing.ts';
import { Webhooks } from '../kit/webhooks.ts';

/** What a form asks besides name, e-mail address, telephone and message. */
export interface Question {
  readonly key: string;
  readonly label: string;
  readonly kind: 'text' | 'number' | 'yes_or_no';
}

/** A page of the website. */
export interface SitePage {
  readonly id: string;
  readonly title: string;
  /** Whether programs may see it: a new page has to be allowed first. */
  readonly allowed: boolean;
}

export interface Form {
  readonly id: string;
  readonly page: string;
  readonly title: string;
  readonly questions: readonly Question[];
}

/** What somebody has filled in. */
export interface Submission {
  readonly form: string;
  readonly name: string | null;
  readonly email: string | null;
  readonly phone: string | null;
  readonly message: string | null;
  readonly answers: Readonly<Record<string, string | number | boolean | null>>;
}

export type KeptSubmission = Submission & { readonly id: number; readonly created_at: string };

/** The Enquiry box's own data file. */
export class EnquiryStore {
  readonly submissions: RecordTable<Submission>;
  readonly webhooks: Webhooks;
  private readonly db: Database.Database;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.db.exec(`CREATE TABLE IF NOT EXISTS page (id TEXT PRIMARY KEY, title TEXT NOT NULL, allowed INTEGER NOT NULL);
      CREATE TABLE IF NOT EXISTS form (id TEXT PRIMARY KEY, page TEXT NOT NULL, title TEXT NOT NULL, questions TEXT NOT NULL)`);
    this.submissions = new RecordTable<Submission>(this.db, 'submission', ['form', 'email'], 70_001);
    this.webhooks = new Webhooks(this.db, standardSigning);
  }

  close(): void {
    this.db.close();
  }

  pages(): SitePage[] {
    const rows = this.db.prepare('SELECT * FROM page ORDER BY rowid').all() as (Omit<SitePage, 'allowed'> & {
      allowed: number;
    })[];
    return rows.map((row) => ({ ...row, allowed: row.allowed === 1 }));
  }

  page(id: string): SitePage | undefined {
    return this.pages().find((one) => one.id === id);
  }

  /** A page; those that are added later have to be allowed before programs see them. */
  addPage(id: string, title: string, allowed = false): void {
    this.db.prepare('INSERT INTO page (id, title, allowed) VALUES (?, ?, ?)').run(id, title, allowed ? 1 : 0);
  }

  /** Whoever owns the account is asked again, and allows all pages that there are. */
  allowAll(): void {
    this.db.prepare('UPDATE page SET allowed = 1').run();
  }

  forms(page?: string): Form[] {
    const rows = this.db.prepare('SELECT * FROM form ORDER BY rowid').all() as (Omit<Form, 'questions'> & {
      questions: string;
    })[];
    return rows
      .filter((row) => page === undefined || row.page === page)
      .map((row) => ({ ...row, questions: JSON.parse(row.questions) as Question[] }));
  }

  form(id: string): Form | undefined {
    return this.forms().find((one) => one.id === id);
  }

  addForm({ id, page, title, questions }: Form): void {
    this.db
      .prepare('INSERT INTO form (id, page, title, questions) VALUES (?, ?, ?, ?)')
      .run(id, page, title, JSON.stringify(questions));
  }

  /** Somebody has filled in a form: it is kept, and told to those who asked. */
  submit(submission: Submission, at?: string): KeptSubmission {
    const kept = this.submissions.add(submission, at);
    this.webhooks.post(`${submission.form}.submitted`, { type: 'submission.added', data: this.shown(kept) });
    return kept;
  }

  /** A submission as programs see it. */
  shown({ id, created_at, form, ...rest }: KeptSubmission): object {
    const of = this.form(form);
    return {
      id: String(id),
      page: of?.page ?? '',
      form,
      formTitle: of?.title ?? '',
      submittedAt: created_at,
      name: rest.name,
      email: rest.email,
      phone: rest.phone,
      message: rest.message,
      answers: rest.answers,
    };
  }
}
