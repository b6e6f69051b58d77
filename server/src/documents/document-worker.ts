import type { JsonRecord, PagePrint } from '@golden/core';
import { readDocx } from './docx.ts';
import { type FormatId, formats } from './formats/index.ts';
import { tableMaker } from './formats/table.ts';
import type { DocumentForm } from './kinds.ts';
import { type DocumentMaker, docxMaker, type MadeDocument, officePdfMaker, pageMaker } from './maker.ts';
import { type MarkedPiece, marked, markedParagraphs } from './marked-text.ts';

// Documents are made in a thread of their own, one after the other: a long one keeps nobody from being answered.

/** A template as it travels to the thread. */
export type TemplateBytes =
  | {
      readonly kind: 'docx';
      readonly key: string;
      readonly bytes: Uint8Array;
      readonly form?: DocumentForm | undefined;
    }
  | {
      readonly kind: 'page';
      readonly key: string;
      readonly page: unknown;
      readonly pictures: Readonly<Record<string, Uint8Array>>;
      readonly form?: DocumentForm | undefined;
    }
  | { readonly kind: 'format'; readonly key: string; readonly format: FormatId };

export interface MakeAsk {
  readonly template: TemplateBytes;
  readonly record: JsonRecord;
  readonly title: string;
  readonly print: PagePrint;
  /** True where the text of a DOCX is wanted too, with what was filled in. */
  readonly wantsText?: boolean;
  /** True where only its problems are wanted. */
  readonly isOnlyChecked?: boolean;
}

/** What stands in a file that no page can be shown of. */
const linesOf = ({ bytes, lines }: MadeDocument): readonly string[] =>
  lines ??
  new TextDecoder()
    .decode(bytes)
    .split(/\r?\n/)
    .filter((line) => line.trim() !== '');

/** A document with its text, where that was wanted. */
export interface PreviewedDocument extends MadeDocument {
  readonly paragraphs?: readonly (readonly MarkedPiece[])[];
}

/** The last one that was used: a run makes many documents of one. */
let kept: { readonly key: string; readonly maker: DocumentMaker } | undefined;

function makerOf(template: TemplateBytes): DocumentMaker {
  if (kept?.key === template.key) return kept.maker;
  const maker = newMaker(template);
  kept = { key: template.key, maker };
  return maker;
}

function newMaker(template: TemplateBytes): DocumentMaker {
  switch (template.kind) {
    case 'format':
      return formats[template.format].maker;
    case 'docx':
      return template.form === 'pdf' ? officePdfMaker(template.bytes) : docxMaker(template.bytes);
    case 'page': {
      const { page, pictures, form } = template;
      return form === 'csv' || form === 'xlsx'
        ? tableMaker(page, `.${form}`)
        : pageMaker(page, async (name) => pictures[name]);
    }
  }
}

export default async function make({
  template,
  record,
  title,
  print,
  wantsText,
  isOnlyChecked,
}: MakeAsk): Promise<PreviewedDocument> {
  const maker = makerOf(template);
  if (isOnlyChecked) return { bytes: new Uint8Array(), problems: await maker.problemsOf(record) };
  const made = await maker.make(record, title, print);
  if (!wantsText || maker.ending === '.pdf') return made;
  if (template.kind !== 'docx')
    return { ...made, paragraphs: linesOf(made).map((text) => [{ text, isFilled: false }]) };
  const { bytes } = readDocx(template.bytes).fill(record, marked);
  return { ...made, paragraphs: await markedParagraphs(bytes) };
}
