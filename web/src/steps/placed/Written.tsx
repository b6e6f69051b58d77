import { fieldAt, type KeptWhy, type Place, toText, type WrittenResult } from '@golden/core';
import { counted } from '../../parts/formats.ts';
import { OutcomeMark, writeLooks } from '../../parts/OutcomeMark.tsx';
import { matchedText } from './matched-text.ts';

/** How many writes came to what, in words. */
export const writtenCounts = { new: 'new', changed: 'changed', same: 'the same', removed: 'removed' };

/** Why a field that differs was left as it is there, in words. */
const keptWords: Readonly<Record<KeptWhy, string>> = {
  empty: 'the source has nothing',
  changed_there: 'somebody changed it there',
  first: 'it was there before',
  policy: 'by the field’s rule',
  newer_there: 'the record there is newer',
  no_stays: 'a no to being contacted stays',
  same_written_otherwise: 'the same, written otherwise',
  asked_already: 'changed on both sides; you are asked about it already',
};

/** A write in its cell: what it came to, and which fields it changed. */
export function WrittenCell({ result, target }: { readonly result: WrittenResult; readonly target: Place | null }) {
  const fields = target?.described.fields ?? [];
  const text =
    result.outcome === 'changed'
      ? (
          result.changedFields ?? result.changes.map((change) => fieldAt(fields, change.path)?.label ?? change.label)
        ).join(', ')
      : undefined;
  return <OutcomeMark look={writeLooks[result.outcome]} text={text} />;
}

/** A write in a record's story. */
export function Written({ result, isRehearsal }: { readonly result: WrittenResult; readonly isRehearsal: boolean }) {
  const words = {
    new: isRehearsal ? 'Would be new' : 'Written as new',
    changed: `${isRehearsal ? 'Would change' : 'Changed'} ${counted((result.changedFields ?? result.changes).length, 'field')}`,
    same: 'The same: nothing to write',
    removed: isRehearsal ? 'Would be removed for good' : 'Removed for good',
  };
  const readBack = {
    as_sent: 'read back as sent',
    altered: 'read back altered',
    cut: 'read back cut',
    different: 'something else was read back',
    not_read: 'not read back',
  };
  return (
    <div>
      <OutcomeMark look={writeLooks[result.outcome]} text={words[result.outcome]} />
      {result.by && <span className="ml-2 text-sm text-ink-2">{matchedText(result.by)}</span>}
      {!isRehearsal && result.outcome !== 'same' && result.outcome !== 'removed' && (
        <span className="ml-2 text-sm text-ink-2">{readBack[result.readBack]}</span>
      )}
      {isRehearsal && result.changes.length > 0 && (
        <dl className="mt-1.5 rounded-md border border-line-1 bg-raised">
          {result.changes.map((change) => (
            <div
              key={change.path}
              className="grid grid-cols-[120px_1fr] gap-2 border-b border-line-2 px-2.5 py-1 last:border-0"
            >
              <dt className="truncate text-ink-2">{change.label}</dt>
              <dd>
                <del className="mr-1.5 text-ink-2 decoration-brick">{toText(change.before) || 'empty'}</del>
                <ins className="rounded-sm bg-slate-tint px-1 text-slate no-underline">
                  {toText(change.after) || 'empty'}
                </ins>
              </dd>
            </div>
          ))}
        </dl>
      )}
      {result.kept && result.kept.length > 0 && (
        <p className="mt-1.5 text-sm text-ink-2">
          Left as it is there:{' '}
          {result.kept.map(({ path, label, before, why }, at) => (
            <span key={path}>
              {at > 0 && '; '}
              {label} “{toText(before)}” ({keptWords[why]})
            </span>
          ))}
        </p>
      )}
    </div>
  );
}
