import { startId, suggestMapping, suggestSources } from '@golden/core';
import { type LabelledPair, labelledPairs } from './pairs.ts';

/** How many proposals for a pair of places are what a person would map. */
export interface Score {
  readonly name: string;
  readonly right: number;
  readonly of: number;
  /** What is otherwise than a person would have it, in words. */
  readonly wrong: readonly string[];
}

/** Every labelled pair scored; a field rightly left alone counts as right. */
export function scoreSuggestions(): Score[] {
  return labelledPairs().map(scorePair);
}

function scorePair({ name, from, to, right }: LabelledPair): Score {
  const suggestions = suggestMapping(suggestSources(from.records, from.fields, startId), to.fields, to.records);
  const labels = new Map(from.fields.map((field) => [field.path, field.label]));
  const wrong = to.fields.flatMap((field) => {
    const filling = suggestions.find((one) => one.path === field.path)?.filling;
    const refs = filling?.kind === 'field' ? [filling.ref] : [];
    const parts =
      filling?.kind === 'text' ? filling.parts.flatMap((part) => (part.kind === 'field' ? [part.ref] : [])) : [];
    const proposed = [...refs, ...parts].map((ref) => labels.get(ref.path) ?? ref.path).join(' + ');
    const wanted = (right[field.label] ?? []).join(' + ');
    return proposed === wanted ? [] : [`${field.label}: ${proposed || 'nothing'} instead of ${wanted || 'nothing'}`];
  });
  return { name, right: to.fields.length - wrong.length, of: to.fields.length, wrong };
}
