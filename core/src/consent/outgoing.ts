import { type Step, writeSteps } from '../steps/schemas.ts';
import { fieldAt, type RecordType } from '../values/field.ts';

// What goes out to somebody, as the places describe it.

/** The kinds of message that a workflow sends, by the steps that are on. */
export const messagesSent = ({ steps }: { readonly steps: readonly Step[] }): RecordType[] =>
  writeSteps({ steps }).flatMap(({ isOff, target }) => (!isOff && target?.described.sentTo ? [target.described] : []));

/** True for what goes to a telephone. */
export const goesByPhone = ({ fields, sentTo }: RecordType): boolean =>
  fieldAt(fields, sentTo?.to ?? '')?.type === 'phone';

/** True for a text message: it is sent in parts, and has no room for a link. */
export const isTextMessage = ({ fields, sentTo }: RecordType): boolean =>
  fieldAt(fields, sentTo?.body ?? '')?.isTextMessage === true;
