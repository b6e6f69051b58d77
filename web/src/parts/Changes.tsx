import type { Versions } from '../api/queries.ts';

type Change = Versions['draft'][number];

const looks: Record<Change['kind'], { readonly sign: string; readonly word: string; readonly colour: string }> = {
  added: { sign: '+', word: 'added', colour: 'text-pine' },
  removed: { sign: '−', word: 'removed', colour: 'text-brick' },
  changed: { sign: '~', word: 'changed', colour: 'text-slate' },
};

/** What differs, each in a sentence with its sign. */
export function Changes({ changes }: { readonly changes: readonly Change[] }) {
  return (
    <ul className="space-y-0.5 font-serif text-md">
      {changes.map((change) => (
        <li key={change.text} className="grid grid-cols-[76px_1fr] gap-2">
          <span className={`font-sans text-sm leading-6 ${looks[change.kind].colour}`}>
            <span aria-hidden="true" className="mr-1.5 inline-block w-2 font-mono">
              {looks[change.kind].sign}
            </span>
            {looks[change.kind].word}
          </span>
          <span>{change.text}</span>
        </li>
      ))}
    </ul>
  );
}
