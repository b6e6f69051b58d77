import { type EvaluationContext, evaluationContextOf, isPlaced, type WorkflowVersion } from '@golden/core';
import { useRef } from 'react';

/** TODAY and NOW on the sheet mean the moment the page was opened: a sample was taken in by looking at it. */
export const lookedAt = new Date().toISOString();

/**
 * What filling a field may know, the same object for as long as nothing of it changes: a keystroke in
 * one row must not draw all the others.
 */
export function useEvaluationContext(version: WorkflowVersion, formulaTexts?: 'harmless'): EvaluationContext {
  const kept = useRef<{ parts: readonly unknown[]; around: EvaluationContext }>(undefined);
  const { content, locale } = version;
  const { source, readings, fields } = content.start;
  const targets = content.steps.map((step) => (isPlaced(step) ? step.target : null));
  const parts = [locale.zone, locale.country, source, readings, fields, content.tables, formulaTexts, ...targets];
  const before = kept.current;
  const isSame = before?.parts.length === parts.length && parts.every((part, at) => part === before.parts[at]);
  if (!before || !isSame) kept.current = { parts, around: { ...evaluationContextOf(version, lookedAt), formulaTexts } };
  return (kept.current as { around: EvaluationContext }).around;
}
