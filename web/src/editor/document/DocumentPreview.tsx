import { lazy, Suspense } from 'react';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';

const PdfPages = lazy(() => import('./PdfPages.tsx').then(({ PdfPages: component }) => ({ default: component })));

interface PreviewProps {
  readonly document: {
    readonly name: string;
    /** Base64. */
    readonly bytes: string;
    readonly paragraphs: readonly (readonly { readonly text: string; readonly isFilled: boolean }[])[] | null;
    readonly problems: readonly string[];
    readonly remarks: readonly string[];
  };
}

/** A document as it would be made: its pages, or the text of one that a program of one's own shows. */
export function DocumentPreview({ document: { name, bytes, paragraphs, problems, remarks } }: PreviewProps) {
  return (
    <>
      {problems.map((problem) => (
        <ProblemMessage key={problem}>{problem}</ProblemMessage>
      ))}
      {remarks.map((remark) => (
        <p key={remark} className="mb-1 text-brass">
          {remark}
        </p>
      ))}
      <p className="mb-2 text-ink-2">
        {problems.length > 0 && 'Like this it isn’t made: the record would need you. '}
        {problems.length === 0 &&
          (name.endsWith('.docx')
            ? 'Its text, with what is filled in marked. It looks as your template does. Nothing has been made.'
            : paragraphs
              ? 'What will stand in it. Nothing has been made.'
              : 'As it will be. Nothing has been made.')}
      </p>
      <h3 className="mb-1 font-sans font-semibold break-words">{name}</h3>
      {paragraphs ? (
        <Paragraphs paragraphs={paragraphs} name={name} />
      ) : (
        <Suspense fallback={<Loading what="the pages" />}>
          <PdfPages bytes={bytes} name={name} />
        </Suspense>
      )}
    </>
  );
}

function Paragraphs({
  paragraphs,
  name,
}: {
  readonly paragraphs: NonNullable<PreviewProps['document']['paragraphs']>;
  readonly name: string;
}) {
  return (
    <section aria-label={`Text of ${name}`} className="space-y-1.5 rounded-md border border-line-1 bg-paper p-4">
      {paragraphs.map((pieces, at) => (
        // Paragraphs have no names: their places are what they are known by.
        // biome-ignore lint/suspicious/noArrayIndexKey: see above
        <p key={at} className="break-words whitespace-pre-wrap">
          {pieces.map(({ text, isFilled }, piece) =>
            isFilled ? (
              // biome-ignore lint/suspicious/noArrayIndexKey: see above
              <mark key={piece} className="rounded-sm bg-pine-faint px-0.5 text-ink-1">
                {text}
              </mark>
            ) : (
              // biome-ignore lint/suspicious/noArrayIndexKey: see above
              <span key={piece}>{text}</span>
            ),
          )}
        </p>
      ))}
    </section>
  );
}
