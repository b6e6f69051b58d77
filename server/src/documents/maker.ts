import {
  type Field,
  fieldsOfPage,
  fillPage,
  type JsonRecord,
  noValueFor,
  type PagePrint,
  readPage,
} from '@golden/core';
import { readDocx } from './docx.ts';
import { asOfficePdf, noOffice, officeProgram } from './office.ts';
import { faultsOfPage, makePdf, type PictureNamed } from './pdf.ts';

/** A document that was made, not yet put anywhere. */
export interface MadeDocument {
  readonly bytes: Uint8Array;
  /** Why it shouldn't go out as it is, in sentences; empty where all is well. */
  readonly problems: readonly string[];
  /** Letters that no font here has; absent where programs of others draw it. */
  readonly letters?: readonly string[];
  /** What stands in it, line by line, where its bytes are no text and no page. */
  readonly lines?: readonly string[];
}

/** Of the files that can be made. */
export type DocumentEnding = '.docx' | '.pdf' | '.csv' | '.xlsx' | '.xml' | '.vcf' | '.ics';

/** Makes documents of one template or format: one a record. */
export interface DocumentMaker {
  readonly ending: DocumentEnding;
  /** What the template takes. */
  readonly fields: readonly Field[];
  /** Of these, what says who the business itself is, each by the fact that tells it. */
  readonly ours?: Readonly<Record<string, string>>;
  /** @param print - how a page's amounts are written for people; as they travel without it */
  make(record: JsonRecord, title: string, print?: PagePrint): Promise<MadeDocument>;
  /** Why a record's document shouldn't go out, as `make` would say; told without making it. */
  problemsOf(record: JsonRecord): Promise<readonly string[]>;
}

/** Makes DOCX documents of a template of the business. @throws BadPlaceholder */
export function docxMaker(template: Uint8Array): DocumentMaker {
  const { fields, fill } = readDocx(template);
  return {
    ending: '.docx',
    fields,
    problemsOf: async (record) => fill(record).missed.map(noValueFor),
    make: async (record) => {
      const { bytes, missed } = fill(record);
      return { bytes, problems: missed.map(noValueFor) };
    },
  };
}

/** Makes PDF documents of a DOCX template, by LibreOffice. @throws BadPlaceholder */
export function officePdfMaker(template: Uint8Array): DocumentMaker {
  const docx = docxMaker(template);
  return {
    ...docx,
    ending: '.pdf',
    problemsOf: async (record) => [...(await docx.problemsOf(record)), ...(officeProgram() ? [] : [noOffice])],
    make: async (record, title) => {
      const { bytes, problems } = await docx.make(record, title);
      const made = problems.length > 0 ? { bytes: new Uint8Array() } : await asOfficePdf(bytes);
      return 'bytes' in made ? { bytes: made.bytes, problems } : { bytes: new Uint8Array(), problems: [made.problem] };
    },
  };
}

/**
 * Makes PDF documents of a page that was made here.
 *
 * @param given - the page, as JSON tells it
 * @param pictureNamed - the bytes of its pictures
 * @throws BadPlaceholder
 */
export function pageMaker(given: unknown, pictureNamed?: PictureNamed): DocumentMaker {
  const page = readPage(given);
  return {
    ending: '.pdf',
    fields: fieldsOfPage(page),
    problemsOf: async (record) => (await faultsOfPage(fillPage(page, record), pictureNamed)).problems,
    make: async (record, title, print) => {
      const filled = fillPage(page, record, print);
      return { bytes: await makePdf(filled, title, pictureNamed), ...(await faultsOfPage(filled, pictureNamed)) };
    },
  };
}
