import type { DocumentMaker } from '../maker.ts';
import { cardMaker } from './card.ts';
import { entryMaker } from './entry.ts';
import { invoiceMaker } from './invoice.ts';

interface Format {
  readonly name: string;
  /** The standard, as the list of places names it. */
  readonly remark: string;
  readonly maker: DocumentMaker;
}

export type FormatId = 'invoice' | 'card' | 'entry';

/** Open formats, which need no template. */
export const formats: Readonly<Record<FormatId, Format>> = {
  invoice: { name: 'Electronic invoice', remark: 'UBL 2.1, EN 16931', maker: invoiceMaker },
  card: { name: 'Contact card', remark: 'vCard', maker: cardMaker },
  entry: { name: 'Calendar entry', remark: 'iCalendar', maker: entryMaker },
};

export const isFormat = (id: string): id is FormatId => Object.hasOwn(formats, id);
