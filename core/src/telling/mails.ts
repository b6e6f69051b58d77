import type { Quiet } from './quiet.ts';

// The mails by which whoever answers for the workflows is told: plain text, so that every mail program shows them alike.

/** Something that needs a person, as a mail tells it. */
export interface NeedToTell {
  readonly workflow: string;
  /** Records that wait; 0 where the source itself can't be read. */
  readonly count: number;
  readonly message: string;
}

/** What a workflow has done on a day. */
export interface DayToTell {
  readonly workflow: string;
  readonly takenIn: number;
  readonly delivered: number;
  readonly leftOut: number;
  readonly waiting: number;
}

/** All that the daily mail tells of. */
export interface Summary {
  /** "Sunday 29 November". */
  readonly day: string;
  readonly days: readonly DayToTell[];
  readonly needs: readonly NeedToTell[];
  readonly quiet: readonly (Quiet & { readonly workflow: string })[];
  /** The disk is full, the last backup failed, and the like. */
  readonly troubles: readonly string[];
  /** Where the product is opened; '' where that isn't known. */
  readonly address: string;
}

export interface TextMail {
  readonly subject: string;
  readonly text: string;
}

const counted = (count: number, one: string, many: string): string =>
  `${count.toLocaleString('en-GB')} ${count === 1 ? one : many}`;

const needLine = ({ workflow, count, message }: NeedToTell): string =>
  `- ${workflow}: ${count === 0 ? '' : `${counted(count, 'record', 'records')}. `}${message}`;

const needsTitle = (needs: readonly NeedToTell[]): string => {
  const count = needs.reduce((sum, need) => sum + Math.max(1, need.count), 0);
  return `${counted(count, 'case needs', 'cases need')} you`;
};

const foot = (address: string): string => (address === '' ? '' : `\nOpen Golden Relay: ${address}\n`);

/** The mail that tells what needs somebody now. */
export function needsMail(needs: readonly NeedToTell[], address: string): TextMail {
  const lines = needs.map(needLine).join('\n');
  return { subject: needsTitle(needs), text: `${needsTitle(needs)}:\n\n${lines}\n${foot(address)}` };
}

/** The daily mail: it comes on quiet days too, so that its absence says something. */
export function dailyMail({ day, days, needs, quiet, troubles, address }: Summary): TextMail {
  const sum = (of: (one: DayToTell) => number): number => days.reduce((all, one) => all + of(one), 0);
  const [taken, delivered] = [sum(({ takenIn }) => takenIn), sum((one) => one.delivered)];
  const title = `${counted(taken, 'record', 'records')} taken in, ${delivered.toLocaleString('en-GB')} delivered`;
  const parts = [
    `${day}: ${title}, ${needs.length === 0 ? 'nothing needs you' : needsTitle(needs)}.`,
    troubles.join('\n'),
    needs.length > 0 ? `Needs you\n${needs.map(needLine).join('\n')}` : '',
    quiet.length > 0 ? `Quieter than usual\n${quiet.map(quietLine).join('\n')}` : '',
    days.length > 0 ? `Workflows\n${days.map(dayLine).join('\n')}` : 'No workflow is on.',
  ];
  const text = parts.filter((part) => part !== '').join('\n\n');
  return { subject: `${day}: ${needs.length === 0 ? title : needsTitle(needs)}`, text: `${text}\n${foot(address)}` };
}

const quietLine = ({ workflow, today, usual, by }: Summary['quiet'][number]): string =>
  by === undefined
    ? `- ${workflow}: ${today} so far, usually ${usual} by this time`
    : `- ${workflow}: ${today} so far, at least ${usual} are expected by ${by}`;

function dayLine({ workflow, takenIn, delivered, leftOut, waiting }: DayToTell): string {
  if (takenIn === 0 && waiting === 0) return `- ${workflow}: nothing came`;
  const rest = [leftOut > 0 ? `${leftOut} left out` : '', waiting > 0 ? `${waiting} waiting` : ''].filter(
    (part) => part !== '',
  );
  return `- ${workflow}: ${[`${takenIn} taken in`, `${delivered} delivered`, ...rest].join(', ')}`;
}

/** How often each case was told, by its key. */
export type ToldCases = Readonly<Record<string, number>>;

/**
 * What of the needs is new since somebody was told: a case that is there for the first time, or again, or has grown to more
 * than twice as many and ten more. Gives what counts as told from now on with it.
 */
export function newNeeds<N extends NeedToTell>(
  needs: readonly (N & { readonly key: string })[],
  told: ToldCases,
): { readonly isNews: boolean; readonly told: ToldCases } {
  const grown = ({ key, count }: { key: string; count: number }): boolean =>
    told[key] === undefined || count > Math.max(2 * told[key], told[key] + 10);
  const isNews = needs.some(grown);
  // What isn't there any more is told again when it comes back.
  const kept = needs.map((one) => [one.key, isNews ? one.count : (told[one.key] ?? one.count)] as const);
  return { isNews, told: Object.fromEntries(kept) };
}

/** Whether a time of the day lies between two, also over midnight; all as "22:00". Never where both are the same. */
export const isBetween = (time: string, from: string, to: string): boolean =>
  from <= to ? time >= from && time < to : time >= from || time < to;
