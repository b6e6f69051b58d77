import { Told } from '../told.ts';

/** What was asked can't be done now; the message says why and what to do. */
export class NotPossible extends Told {
  override readonly name = 'NotPossible';
  readonly status = 409;
  readonly type = 'not-possible';
}
