import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';

// The fonts that ship with the product, opened once for all documents: their tables take longer to read than a page
// takes to be made.

const loaded = createRequire(import.meta.url);

/** What is used of pdfmake, which ships without types. */
interface PdfMaker {
  readonly virtualfs: { writeFileSync(name: string, content: Uint8Array): void };
  setFonts(fonts: Readonly<Record<string, Readonly<Record<'normal' | 'bold', string>>>>): void;
  setUrlAccessPolicy(mayLoad: (url: string) => boolean): void;
  setLocalAccessPolicy(mayRead: (path: string) => boolean): void;
  createPdf(definition: object): { getBuffer(): Promise<Buffer> };
}

/** What is used of fontkit, which ships without types. */
interface FontReader {
  create(bytes: Uint8Array): Font;
  registerFormat(format: {
    new (stream: { readonly buffer: Uint8Array }): object;
    probe(bytes: Uint8Array): boolean;
  }): void;
}

interface Font {
  hasGlyphForCodePoint(codePoint: number): boolean;
}

/** In the order in which a letter is looked for. */
const families = {
  Sans: { normal: 'noto-sans/400Regular/NotoSans_400Regular.ttf', bold: 'noto-sans/700Bold/NotoSans_700Bold.ttf' },
  Japanese: {
    normal: 'noto-sans-jp/400Regular/NotoSansJP_400Regular.ttf',
    bold: 'noto-sans-jp/700Bold/NotoSansJP_700Bold.ttf',
  },
} as const;
export type Family = keyof typeof families;
const styles = ['normal', 'bold'] as const;

/** A piece of a text that one font can draw. */
export interface FontRun {
  readonly text: string;
  readonly font: Family;
}

export interface Fonts {
  readonly pdfmake: PdfMaker;
  /** A text by the fonts that draw it; letters that none has are given apart. */
  runsOf(text: string): { readonly runs: readonly FontRun[]; readonly unknown: readonly string[] };
}

let opened: Fonts | undefined;

/** The fonts, opened at the first call. */
export function openFonts(): Fonts {
  opened ??= open();
  return opened;
}

function open(): Fonts {
  // The one that draws asks its own copy of the font reader, which is the one for CommonJS.
  const pdfmake = loaded('pdfmake') as PdfMaker;
  const fontkit = loaded('fontkit') as FontReader;
  const kept = new Map<string, Font>();
  const nameIn = (bytes: Uint8Array): string => Buffer.from(bytes).toString('latin1');
  // A file that is no font but names one: whoever opens it is given the one that is open already.
  fontkit.registerFormat(
    class {
      static probe = (bytes: Uint8Array): boolean => kept.has(nameIn(bytes));
      constructor({ buffer }: { readonly buffer: Uint8Array }) {
        // biome-ignore lint/correctness/noConstructorReturn: the reader makes its fonts by `new`
        return kept.get(nameIn(buffer)) ?? this;
      }
    },
  );
  const fonts: Record<string, Record<'normal' | 'bold', string>> = {};
  const known: [Family, Font][] = [];
  for (const [family, files] of Object.entries(families) as [Family, (typeof families)[Family]][]) {
    for (const style of styles) {
      const name = `golden:${family}:${style}`;
      const font = fontkit.create(readFileSync(loaded.resolve(`@expo-google-fonts/${files[style]}`)));
      kept.set(name, font);
      pdfmake.virtualfs.writeFileSync(name, Buffer.from(name, 'latin1'));
      fonts[family] = { ...(fonts[family] ?? { normal: '', bold: '' }), [style]: name };
      if (style === 'normal') known.push([family, font]);
    }
  }
  pdfmake.setFonts(fonts);
  // Nothing that stands in a value is ever fetched.
  pdfmake.setUrlAccessPolicy(() => false);
  pdfmake.setLocalAccessPolicy(() => false);
  return { pdfmake, runsOf: (text) => runsOf(known, text) };
}

/** Signs that are drawn by none: ends of lines, joiners and the like. */
const invisible = /[\p{Cc}\p{Cf}\p{M}\s]/u;

function runsOf(fonts: readonly [Family, Font][], text: string): ReturnType<Fonts['runsOf']> {
  const runs: { text: string; font: Family }[] = [];
  const unknown = new Set<string>();
  for (const sign of text) {
    const last = runs.at(-1);
    const point = sign.codePointAt(0) ?? 0;
    const has = fonts.find(([, font]) => font.hasGlyphForCodePoint(point))?.[0];
    if (has === undefined && !invisible.test(sign)) unknown.add(sign);
    const font = (invisible.test(sign) ? last?.font : has) ?? last?.font ?? 'Sans';
    if (last?.font === font) last.text += sign;
    else runs.push({ text: sign, font });
  }
  return { runs, unknown: [...unknown] };
}
