/** What was asked can't be done now; the message says why and what to do. */
export class NotPossible extends Error {
  override readonly name = 'NotPossible';
}
