import type { Phrase } from '@golden/core';

const phraseLooks: Record<Phrase['kind'], string> = {
  words: '',
  strong: 'font-semibold',
  setting: 'underlined',
  missing: 'rounded-sm bg-brass-tint px-1 text-brass',
};

/** The pieces of a sentence, one after the other. */
export function PhraseText({ phrases }: { readonly phrases: readonly Phrase[] }) {
  return phrases.map((phrase, at) => (
    // Phrases have no identity of their own; their order is the sentence.
    // biome-ignore lint/suspicious/noArrayIndexKey: see above
    <span key={at} className={phraseLooks[phrase.kind]}>
      {phrase.text}
    </span>
  ));
}
