import type { FilledBlock, FilledPage } from '@golden/core';
import { openFonts } from './fonts.ts';

// A page that is made here, drawn as a PDF (ISO 32000). Nothing in it tells when or where it was made: the same values
// give the same bytes.

/** Points of a millimetre. */
const millimetre = 72 / 25.4;
const margin = 20 * millimetre;

/**
 * Draws a page.
 *
 * @param title - shown by programs that open it
 * @param pictureNamed - the bytes of a PNG or JPEG that is kept here; undefined where there is none of that name
 */
export async function makePdf(
  page: FilledPage,
  title: string,
  pictureNamed: PictureNamed = noPicture,
): Promise<Uint8Array> {
  const { pdfmake, runsOf } = openFonts();
  const drawn = (text: string): object => ({ text: runsOf(text).runs.map((run) => ({ ...run })) });
  const content: object[] = [];
  for (const block of page.blocks) {
    if (block.kind !== 'picture') content.push(drawnBlock(block, drawn));
    else {
      const picture = await pictureOf(block.file, pictureNamed);
      if ('url' in picture)
        content.push({
          image: picture.url,
          ...(block.width === undefined
            ? { fit: [170 * millimetre, 60 * millimetre] }
            : { width: block.width * millimetre }),
          margin: [0, 0, 0, 8],
        });
    }
  }
  const definition = {
    pageSize: page.size === 'A4' ? 'A4' : 'LETTER',
    pageMargins: [margin, margin, margin, margin],
    info: { title, creationDate: new Date(0), producer: 'Golden Relay', creator: 'Golden Relay' },
    defaultStyle: { font: 'Sans', fontSize: 10, lineHeight: 1.25 },
    content,
    ...(page.footer.length > 0 && {
      footer: (at: number, of: number) => ({
        ...drawn(
          page.footer
            .map((part) => (typeof part === 'string' ? part : String(part.number === 'page' ? at : of)))
            .join(''),
        ),
        alignment: 'center',
        fontSize: 8,
        margin: [margin, 10 * millimetre, margin, 0],
      }),
    }),
  };
  return pdfmake.createPdf(definition).getBuffer();
}

function drawnBlock(block: Exclude<FilledBlock, { kind: 'picture' }>, drawn: (text: string) => object): object {
  if (block.kind !== 'table')
    return block.kind === 'heading'
      ? { ...drawn(block.text), bold: true, fontSize: 18, lineHeight: 1.1, margin: [0, 0, 0, 10] }
      : { ...drawn(block.text), margin: [0, 0, 0, 8], preserveLeadingSpaces: true };
  const cell = (text: string, at: number, more: object = {}): object => ({
    ...drawn(text),
    alignment: block.isAmount[at] ? 'right' : 'left',
    ...more,
  });
  const strong = { bold: true };
  return {
    table: {
      headerRows: 1,
      dontBreakRows: true,
      widths: block.isAmount.map((isAmount) => (isAmount ? 'auto' : '*')),
      body: [
        block.head.map((text, at) => cell(text, at, strong)),
        ...block.rows.map((row) => row.map((text, at) => cell(text, at))),
        ...(block.totals ? [block.totals.map((text, at) => cell(text, at, strong))] : []),
      ],
    },
    layout: 'lightHorizontalLines',
    margin: [0, 4, 0, 12],
  };
}

/** What is wrong with a page, told without drawing it. */
export interface PageFaults {
  /** In sentences. */
  readonly problems: readonly string[];
  /** The letters that no font here has, each once. */
  readonly letters: readonly string[];
}

export async function faultsOfPage(page: FilledPage, pictureNamed: PictureNamed = noPicture): Promise<PageFaults> {
  const { runsOf } = openFonts();
  const problems = [...page.problems];
  for (const block of page.blocks) {
    const picture = block.kind === 'picture' ? await pictureOf(block.file, pictureNamed) : undefined;
    if (picture && 'problem' in picture) problems.push(picture.problem);
  }
  const letters = [...new Set(textsOf(page).flatMap((text) => runsOf(text).unknown))];
  if (letters.length > 0) problems.push(`No font here has these letters: ${letters.join(' ')}`);
  return { problems, letters };
}

/** Every text that is drawn. */
const textsOf = ({ blocks, footer }: FilledPage): string[] => [
  ...blocks.flatMap((block) => {
    if (block.kind === 'picture') return [];
    return block.kind === 'table' ? [...block.head, ...block.rows.flat(), ...(block.totals ?? [])] : [block.text];
  }),
  ...footer.filter((part) => typeof part === 'string'),
];

export type PictureNamed = (name: string) => Promise<Uint8Array | undefined>;
const noPicture: PictureNamed = async () => undefined;

async function pictureOf(
  name: string,
  pictureNamed: PictureNamed,
): Promise<{ readonly url: string } | { readonly problem: string }> {
  const bytes = await pictureNamed(name);
  if (!bytes) return { problem: `There is no picture “${name}”.` };
  const media = mediaOf(bytes);
  if (!media) return { problem: `“${name}” is no PNG and no JPEG, so it can’t be drawn.` };
  return { url: `data:${media};base64,${Buffer.from(bytes).toString('base64')}` };
}

/** By the first bytes (PNG: ISO/IEC 15948, 5.2; JPEG: ITU-T T.81, B.1.1.3). */
function mediaOf(bytes: Uint8Array): 'image/png' | 'image/jpeg' | undefined {
  if (Buffer.from(bytes.subarray(0, 8)).toString('hex') === '89504e470d0a1a0a') return 'image/png';
  return bytes[0] === 0xff && bytes[1] === 0xd8 && bytes[2] === 0xff ? 'image/jpeg' : undefined;
}
