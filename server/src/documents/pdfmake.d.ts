// What is used of two packages that ship without types.
declare module 'pdfmake' {
  interface Made {
    getBuffer(): Promise<Buffer>;
  }
  interface PdfMaker {
    readonly virtualfs: { writeFileSync(name: string, content: Uint8Array): void };
    setFonts(fonts: Readonly<Record<string, Readonly<Record<'normal' | 'bold', string>>>>): void;
    setUrlAccessPolicy(mayLoad: (url: string) => boolean): void;
    setLocalAccessPolicy(mayRead: (path: string) => boolean): void;
    createPdf(definition: object): Made;
  }
  const pdfmake: PdfMaker;
  export default pdfmake;
}

declare module 'fontkit' {
  export interface Font {
    hasGlyphForCodePoint(codePoint: number): boolean;
  }
  export function create(bytes: Uint8Array): Font;
  export function registerFormat(format: {
    new (stream: { readonly buffer: Uint8Array }): object;
    probe(bytes: Uint8Array): boolean;
  }): void;
}
