import { Told } from '../told.ts';

/** What was asked can't be done now; the message says why and what to do. */
export class NotPossible extends Told {
  override readonly name = 'NotPossible';
  readonly status = 409;
  readonly type = 'not-possible';
}

/** What was to be done while a workflow was off is overdue: a person says what becomes of it before it is switched on. */
export class OverdueAsked extends Told {
  override readonly name = 'OverdueAsked';
  readonly status = 409;
  readonly type = 'overdue';
  constructor(readonly count: number) {
    super(
      count === 1
        ? 'The time of one record passed while this workflow was off. Say what becomes of it.'
        : `The time of ${count} records passed while this workflow was off. Say what becomes of them.`,
    );
  }
  override get more(): Readonly<Record<string, unknown>> {
    return { count: this.count };
  }
}
