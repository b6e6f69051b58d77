import mammoth from 'mammoth';

// What is filled in stands between two signs that no text of people has (private use, Unicode 23.5), so that it can be
// told from what the template says.

const [begin, end] = ['\ue000', '\ue001'];

/** A value with its marks. */
export const marked = (value: string): string => `${begin}${value.replaceAll(/[\ue000\ue001]/g, '')}${end}`;

/** A piece of a paragraph. */
export interface MarkedPiece {
  readonly text: string;
  /** True for what a value says. */
  readonly isFilled: boolean;
}

/** The paragraphs of a DOCX whose values are marked. */
export async function markedParagraphs(bytes: Uint8Array): Promise<MarkedPiece[][]> {
  const { value } = await mammoth.extractRawText({ buffer: Buffer.from(bytes) });
  return value
    .split('\n')
    .filter((line) => line.trim() !== '')
    .map(piecesOf);
}

function piecesOf(line: string): MarkedPiece[] {
  const pieces: MarkedPiece[] = [];
  for (const part of line.split(new RegExp(`(?=${begin})|(?<=${end})`, 'u'))) {
    const text = part.replaceAll(/[\ue000\ue001]/g, '');
    if (text !== '') pieces.push({ text, isFilled: part.startsWith(begin) });
  }
  return pieces;
}
