export { type DeliveryReport, readDeliveryStatus } from './bounce.ts';
export { bearsMark, type Confirmation, confirmationIn, linksIn, probeMark } from './confirmation.ts';
export { firstNameOf } from './first-name.ts';
export { isProven, kindOfMail, type MailHeaders, type MailKind, mailKinds } from './kind-of-mail.ts';
export { type LabelledLine, labelledLines } from './labelled-lines.ts';
export { type Forwarded, hasQuestion, type TextParts, textParts, withoutLinks } from './new-text.ts';
export {
  type Answered,
  messageIds,
  replySubject,
  type ThreadHeaders,
  threadOf,
  threadRoot,
  whyNotAnswered,
} from './reply.ts';
