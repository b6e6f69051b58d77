import type { JsonRecord } from '../values/value.ts';
import type { NeedToTell, Summary } from './mails.ts';

// What is told to a program instead of a person: CloudEvents 1.0 in structured mode, JSON
// (https://github.com/cloudevents/spec/blob/v1.0.2/cloudevents/formats/json-format.md).

/** Its media type. */
export const toldEventType = 'application/cloudevents+json';

/** What is told: that something needs somebody, how the day before was, or that it can be told at all. */
export type ToldKind = 'needs_you' | 'daily' | 'trial';

export interface ToldEvent {
  readonly specversion: '1.0';
  /** The same for the same when it is sent once more, so that it counts once. */
  readonly id: string;
  /** A URI reference. */
  readonly source: string;
  readonly type: `golden-relay.${ToldKind}`;
  /** RFC 3339. */
  readonly time: string;
  readonly datacontenttype: 'application/json';
  readonly data: JsonRecord;
}

/** The event of something that is told. @param address - where the product is opened; '' where that isn't known */
export const toldEvent = (kind: ToldKind, id: string, time: string, address: string, data: JsonRecord): ToldEvent => ({
  specversion: '1.0',
  id,
  source: address === '' ? '/golden-relay' : address,
  type: `golden-relay.${kind}`,
  time,
  datacontenttype: 'application/json',
  data,
});

/** What needs somebody now, as data. */
export const needsData = (needs: readonly NeedToTell[], title: string): JsonRecord => ({
  title,
  needs: needs.map(needData),
});

/** The day before, as data: the same as in the daily mail. */
export const dailyData = ({ day, days, needs, quiet, troubles }: Summary, title: string): JsonRecord => ({
  title,
  day,
  workflows: days.map((one) => ({ ...one })),
  needs: needs.map(needData),
  quiet: quiet.map(({ workflow, today, usual, by = null }) => ({ workflow, today, usual, by })),
  troubles: [...troubles],
});

const needData = ({ workflow, count, message }: NeedToTell): JsonRecord => ({ workflow, count, message });
