import type { Filling } from '../mapping/filling.ts';
import { startId } from '../mapping/refs.ts';
import { consentOf, saysNo } from '../values/consent.ts';
import type { Field, RecordType } from '../values/field.ts';
import type { Pointer } from '../values/pointer.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { isWrite, type Legs } from './legs.ts';

/** Whether a field says that somebody may be contacted, or that they may not. */
export const isConsentField = (field: Field): boolean => consentOf(field) !== undefined || stands(field) !== undefined;

/** The values of a choice that say yes and no: on a list, and not on it any more. */
function stands(field: Field): { readonly yes: string; readonly no: string } | undefined {
  const values = (field.options ?? []).map(({ value }) => value);
  const no = values.find((value) => saysNo(field, value));
  const yes = values.find((value) => saysYes.test(value));
  return no !== undefined && yes !== undefined ? { yes, no } : undefined;
}

const saysYes = /^(subscribed|opted.?in|active|confirmed)$/i;

/**
 * Both directions with the consent of each side filled from that of the other, where neither says anything of it yet:
 * a yes or no on one side, and on the other the same, or whether somebody is subscribed.
 */
export function withConsents({ there, here }: Legs): Legs {
  const [fieldsHere, fieldsThere] = [there.start.source?.described, here.start.source?.described];
  const [one, other] = [consentIn(fieldsHere), consentIn(fieldsThere)];
  if (!one || !other) return { there, here };
  return {
    there: withFilling(there, other.path, translation(one, other)),
    here: withFilling(here, one.path, translation(other, one)),
  };
}

interface Said {
  readonly path: Pointer;
  readonly yes: string;
  readonly no: string;
}

/** The one field of a place that says whether somebody may be mailed; undefined where there is none, or several. */
function consentIn(described: RecordType | undefined): Said | undefined {
  const said = (described?.fields ?? []).flatMap((field): Said[] => {
    if (field.readOnly) return [];
    const values = stands(field);
    if (values) return [{ path: field.path, ...values }];
    const means = field.type === 'boolean' ? consentOf(field) : undefined;
    if (means === undefined) return [];
    return [{ path: field.path, yes: String(means === 'allows'), no: String(means !== 'allows') }];
  });
  return said.length === 1 ? said[0] : undefined;
}

/** Anything else, such as a mail that came back, says nothing of a consent. */
const translation = (from: Said, to: Said): Filling => ({
  kind: 'options',
  ref: { step: startId, path: from.path },
  table: [
    { from: from.yes, to: to.yes },
    { from: from.no, to: to.no },
  ],
  otherwise: { kind: 'empty' },
});

function withFilling(content: WorkflowContent, path: Pointer, filling: Filling): WorkflowContent {
  const own = content.steps.find(isWrite);
  if (!own || own.mapping[path]) return content;
  return {
    ...content,
    steps: content.steps.map((step) =>
      step === own ? { ...own, mapping: { ...own.mapping, [path]: filling } } : step,
    ),
  };
}
