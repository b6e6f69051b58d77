import { words } from '../parts/words.ts';

/** The words of ours, each in one line. */
export function WordsPage() {
  return (
    <div className="max-w-[860px] px-6 py-4">
      <h1 className="mb-1 text-2xl">Words</h1>
      <p className="mb-4 text-ink-2">The words Golden Relay uses in its own way, each in one line.</p>
      <dl className="overflow-hidden rounded-md border border-line-1 bg-sheet">
        {Object.entries(words)
          .sort(([one], [other]) => one.localeCompare(other))
          .map(([word, meaning]) => (
            <div
              key={word}
              className="grid grid-cols-[170px_1fr] gap-4 border-b border-line-2 px-4 py-2 last:border-b-0"
            >
              <dt className="font-semibold">{word}</dt>
              <dd>{meaning}</dd>
            </div>
          ))}
      </dl>
    </div>
  );
}
