import { type Field, type Filling, nameOfRef, type TextPart, type Tidy, tidyLabel } from '@golden/core';
import { useEditor } from '../draft/context.tsx';
import { typedFormula } from '../formula/FormulaFilling.tsx';

/** A filling in one line: a field is an underlined word, tidies stand small behind it. */
export function FillingLabel({ filling, field }: { readonly filling: Filling | undefined; readonly field: Field }) {
  const { draft } = useEditor();
  if (!filling) return <em className="text-ink-3">not filled</em>;
  switch (filling.kind) {
    case 'choice':
    case 'fixed':
      return <span>“{field.options?.find(({ value }) => value === filling.value)?.label ?? filling.value}”</span>;
    case 'formula':
      return (
        <code className="font-mono text-sm">
          <span className="text-ink-3">= </span>
          {typedFormula(filling.text.replace(/^\s*=\s*/, ''))}
        </code>
      );
    case 'options':
      return (
        <>
          <span className="underlined">{nameOfRef(draft.content, filling.ref)}</span>
          <span className="ml-1.5 text-sm text-ink-2">by a table of {filling.table.length}</span>
        </>
      );
    case 'lines':
      return (
        <>
          <span className="text-ink-2">a line for each of </span>
          <span className="underlined">{nameOfRef(draft.content, filling.ref)}</span>
        </>
      );
  }
  const parts = filling.kind === 'field' ? [{ kind: 'field' as const, ref: filling.ref }] : filling.parts;
  return (
    <>
      {parts.map((part, at) => (
        // Parts have no identity of their own; their order is the text.
        // biome-ignore lint/suspicious/noArrayIndexKey: see above
        <Part key={at} part={part} isLong={field.isLong === true} />
      ))}
      <Tidies tidies={filling.tidies} />
    </>
  );
}

function Part({ part, isLong }: { readonly part: TextPart; readonly isLong: boolean }) {
  const { draft } = useEditor();
  if (part.kind === 'words')
    return (
      <span className={`${isLong ? 'whitespace-pre-wrap' : 'whitespace-pre'} text-ink-2`}>
        {part.text === ' ' ? ' ␣ ' : part.text}
      </span>
    );
  return (
    <>
      <span className="underlined">{nameOfRef(draft.content, part.ref)}</span>
      {part.otherwise !== undefined && <span className="text-sm text-ink-2"> or “{part.otherwise}”</span>}
    </>
  );
}

function Tidies({ tidies }: { readonly tidies: readonly Tidy[] }) {
  const { version } = useEditor();
  if (tidies.length === 0) return null;
  return (
    <span className="ml-1.5 text-sm text-ink-2">
      {tidies.map((tidy) => tidyLabel(tidy, version.locale)).join(', ')}
    </span>
  );
}
