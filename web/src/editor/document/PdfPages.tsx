import { GlobalWorkerOptions, getDocument, type PDFDocumentProxy } from 'pdfjs-dist';
import workerUrl from 'pdfjs-dist/build/pdf.worker.mjs?url';
import { useEffect, useRef, useState } from 'react';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';

GlobalWorkerOptions.workerSrc = workerUrl;

/** So many pages are drawn; what is longer is told. */
const mostPages = 10;
/** Pixels of the page's width on the screen. */
const width = 640;

/** The pages of a PDF, drawn, each with its text for who can't see it. @param bytes - Base64 */
export function PdfPages({ bytes, name }: { readonly bytes: string; readonly name: string }) {
  const [pdf, setPdf] = useState<PDFDocumentProxy>();
  const [fault, setFault] = useState('');
  useEffect(() => {
    const data = Uint8Array.from(atob(bytes), (sign) => sign.charCodeAt(0));
    const loading = getDocument({ data, isEvalSupported: false });
    let isGone = false;
    loading.promise.then(
      (one) => !isGone && setPdf(one),
      (error: Error) => !isGone && setFault(error.message),
    );
    return () => {
      isGone = true;
      void loading.destroy();
    };
  }, [bytes]);
  if (fault) return <ProblemMessage>{`The pages can’t be shown: ${fault}`}</ProblemMessage>;
  if (!pdf) return <Loading what="the pages" />;
  const shown = Math.min(pdf.numPages, mostPages);
  const numbers = Array.from({ length: shown }, (_, at) => at + 1);
  return (
    <div className="space-y-3">
      {numbers.map((number) => (
        <PdfPage key={number} pdf={pdf} number={number} name={name} />
      ))}
      {pdf.numPages > shown && <p className="text-ink-2">{pdf.numPages - shown} more pages aren’t shown here.</p>}
    </div>
  );
}

interface PageProps {
  readonly pdf: PDFDocumentProxy;
  readonly number: number;
  readonly name: string;
}

function PdfPage({ pdf, number, name }: PageProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [text, setText] = useState('');
  useEffect(() => {
    let task: { cancel(): void } | undefined;
    let isGone = false;
    const draw = async (): Promise<void> => {
      const page = await pdf.getPage(number);
      const { items } = await page.getTextContent();
      const one = canvas.current;
      if (isGone || !one) return;
      setText(items.map((item) => ('str' in item ? item.str : '')).join(' '));
      const sharp = globalThis.devicePixelRatio || 1;
      const viewport = page.getViewport({ scale: (width / page.getViewport({ scale: 1 }).width) * sharp });
      one.width = viewport.width;
      one.height = viewport.height;
      const rendering = page.render({ canvas: one, viewport });
      task = rendering;
      await rendering.promise;
    };
    // What is drawn anew in the middle is cancelled, which is no fault.
    draw().catch(() => undefined);
    return () => {
      isGone = true;
      task?.cancel();
    };
  }, [pdf, number]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={`Page ${number} of ${pdf.numPages} of ${name}: ${text}`}
      className="h-auto w-full border border-line-1 bg-white"
    />
  );
}
