import type { Filling } from '../mapping/filling.ts';
import { partsOfLetter, unknownInLetter } from '../mapping/letter.ts';
import { namedFields } from '../mapping/names.ts';
import type { Pointer } from '../values/pointer.ts';
import type { WorkflowContent } from './schema.ts';

// Templates: texts for several workflows. A workflow holds the words of the version that it was given, so that what a
// record gets never changes under way; it only remembers where they came from.

/** A template as one types it, with fields in braces by the names that people read. */
export interface TextTemplate {
  readonly id: string;
  readonly version: number;
  readonly text: string;
}

/** A field of a step that a template stands in. */
export interface TextTemplateUse {
  readonly step: string;
  readonly path: Pointer;
  readonly version: number;
}

/** Where a template stands in a workflow, in the order of its steps. */
export function textTemplateUses({ steps }: Pick<WorkflowContent, 'steps'>, id: string): TextTemplateUse[] {
  return steps.flatMap((step) =>
    step.kind === 'write'
      ? Object.entries(step.mapping).flatMap(([path, filling]) =>
          filling.kind === 'text' && filling.template?.id === id
            ? [{ step: step.id, path, version: filling.template.version }]
            : [],
        )
      : [],
  );
}

/** The filling that a template comes to before a step: its names stand for the fields that are known there. */
export function templateFilling(
  content: WorkflowContent,
  before: string,
  { id, version, text }: TextTemplate,
): Filling {
  const parts = partsOfLetter(text, namedFields(content, { before }));
  return { kind: 'text', parts, tidies: [], template: { id, version } };
}

/** The workflow with this version of a template wherever another one of it stands. */
export function withTextTemplate(content: WorkflowContent, template: TextTemplate): WorkflowContent {
  const uses = textTemplateUses(content, template.id);
  return {
    ...content,
    steps: content.steps.map((step) => {
      const own = uses.filter((use) => use.step === step.id && use.version !== template.version);
      if (step.kind !== 'write' || own.length === 0) return step;
      const filled = own.map(({ path }) => [path, templateFilling(content, step.id, template)] as const);
      return { ...step, mapping: { ...step.mapping, ...Object.fromEntries(filled) } };
    }),
  };
}

/** Names in a template that stand for no field where the workflow uses it: they would be sent as they are typed. */
export function lackingIn(content: WorkflowContent, { id, text }: Pick<TextTemplate, 'id' | 'text'>): string[] {
  const lacking = textTemplateUses(content, id).flatMap(({ step }) =>
    unknownInLetter(text, namedFields(content, { before: step })),
  );
  return [...new Set(lacking)];
}
