import { answerStopWords, type Field, mapField, messageParts, toText, type WriteStep } from '@golden/core';
import { counted } from '../../parts/formats.ts';
import type { FilledScope } from '../filling/FillingEditor.tsx';

interface PartsProps {
  readonly step: WriteStep;
  readonly field: Field;
  readonly scopes: readonly FilledScope[];
}

/** In how many parts the samples' text messages would go out: each part costs. */
export function PartsNote({ step, field, scopes }: PartsProps) {
  const filling = step.mapping[field.path];
  if (!field.isTextMessage || !filling) return null;
  const ending = step.purpose === 'news' ? `\n${step.unsubscribeWords ?? answerStopWords}` : '';
  const all = scopes.flatMap(({ scope, around }) => {
    const cell = mapField(field, filling, scope, around);
    return cell.state === 'filled' ? [messageParts(toText(cell.value) + ending)] : [];
  });
  if (all.length === 0) return null;
  const counts = new Map<number, number>();
  for (const { parts } of all) counts.set(parts, (counts.get(parts) ?? 0) + 1);
  const strange = [...new Set(all.filter(({ parts }) => parts > 1).flatMap((one) => one.strange))].slice(0, 6);
  return (
    <p className="mt-1.5 text-sm text-ink-2">
      {[...counts]
        .sort(([one], [other]) => one - other)
        .map(([parts, count]) => `${counted(count, 'sample')} in ${counted(parts, 'part')}`)
        .join(', ')}
      . Each part costs as a message.
      {strange.length > 0 &&
        ` Without ${strange.map((one) => `“${one}”`).join(' ')} more than twice as much fits into a part.`}
    </p>
  );
}
