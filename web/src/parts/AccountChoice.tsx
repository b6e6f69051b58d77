import type { Connection } from '../api/queries.ts';
import { counted } from './formats.ts';

/** Who was signed in, and who is now. */
export type AccountQuestion = NonNullable<Connection['asked']>;

/** What a person says of a connection that leads elsewhere. */
export interface AccountSaid {
  readonly account?: 'same' | 'other';
  readonly already?: 'taken' | 'noted';
}

interface ChoiceProps {
  readonly question: AccountQuestion;
  /** Names of the workflows that start from this connection, and of those that write through it. */
  readonly reads: readonly string[];
  readonly writes: readonly string[];
  readonly said: AccountSaid;
  readonly onSay: (said: AccountSaid) => void;
}

/** What is asked comes into view, wherever the person was. */
const scrollTo = (element: HTMLElement | null): void => element?.scrollIntoView({ block: 'center' });

/** Whether a connection that leads elsewhere now is the same account, moved, or another one. */
export function AccountChoice({ question, reads, writes, said, onSay }: ChoiceProps) {
  const { was, now } = question;
  const isWhoOther = was.who !== null && now.who !== null && was.who !== now.who;
  return (
    <section
      ref={scrollTo}
      aria-label="Which account this is"
      className="mb-4 rounded-md border border-brass-fill/60 bg-brass-tint px-4 py-3"
    >
      <h3 className="mb-1 text-md font-semibold text-brass">Is this the same account?</h3>
      <dl className="mb-3 grid grid-cols-[56px_1fr] gap-x-3 gap-y-0.5 text-sm">
        <dt className="text-ink-2">Before</dt>
        <dd>
          <Who identity={was} />
        </dd>
        <dt className="text-ink-2">Now</dt>
        <dd>
          <Who identity={now} />
        </dd>
      </dl>
      {!now.isTold && (
        <p className="mb-2 text-sm">
          This app doesn’t say who is signed in. It is identified by its address and access key.
        </p>
      )}
      <fieldset className="space-y-2">
        <legend className="sr-only">Which account this is</legend>
        <Choice
          name="account"
          isOn={said.account === 'same'}
          onChoose={() => onSay({ account: 'same' })}
          title="The same account; only the address changed"
          text={`The records there are the same as before. Everything continues.${isWhoOther ? ' The app itself names another account.' : ''}`}
        />
        <Choice
          name="account"
          isOn={said.account === 'other'}
          onChoose={() => onSay({ ...said, account: 'other' })}
          title="Another account"
          text={`Nothing that is known of the earlier records applies there.${writes.length > 0 ? ` ${named(writes)} ${writes.length === 1 ? 'looks' : 'look'} for each record anew.` : ''} If you go back to the first account, it applies again.`}
        />
      </fieldset>
      {said.account === 'other' && reads.length > 0 && (
        <fieldset
          ref={scrollTo}
          className="mt-3 border-t border-brass-fill/40 pt-2"
          aria-label="What the other account has already"
        >
          <p className="mb-1.5 font-medium">
            {named(reads)} {reads.length === 1 ? 'starts' : 'start'} from it. What the other account has already
          </p>
          <Choice
            name="already"
            isOn={said.already === 'taken'}
            onChoose={() => onSay({ ...said, already: 'taken' })}
            title="is taken in, all of it"
          />
          <Choice
            name="already"
            isOn={said.already === 'noted'}
            onChoose={() => onSay({ ...said, already: 'noted' })}
            title="is marked as already known; only what comes from now on is taken in"
          />
        </fieldset>
      )}
    </section>
  );
}

/** True once everything is said that has to be. */
export const isAllSaid = (said: AccountSaid, reads: readonly string[]): boolean =>
  said.account === 'same' || (said.account === 'other' && (reads.length === 0 || said.already !== undefined));

const named = (workflows: readonly string[]): string =>
  workflows.length <= 2 ? workflows.map((one) => `“${one}”`).join(' and ') : counted(workflows.length, 'workflow');

function Who({ identity }: { readonly identity: AccountQuestion['was'] }) {
  return (
    <>
      <strong className="font-semibold">
        {identity.label || (identity.who === null ? 'not known yet' : 'no name')}
      </strong>
      {identity.isTold && identity.who && <span className="text-ink-2"> · account {identity.who}</span>}
      {identity.origin && <span className="text-ink-2"> at {identity.origin}</span>}
    </>
  );
}

interface OneProps {
  readonly name: string;
  readonly isOn: boolean;
  /** True where it can't be chosen, which its text explains. */
  readonly isOff?: boolean;
  readonly onChoose: () => void;
  readonly title: string;
  readonly text?: string;
}

/** One of several answers, with what follows from it. */
export function Choice({ name, isOn, isOff = false, onChoose, title, text }: OneProps) {
  return (
    <label className={`flex items-start gap-2 ${isOff ? 'text-ink-2' : ''}`}>
      <input
        type="radio"
        name={name}
        checked={isOn}
        disabled={isOff}
        onChange={onChoose}
        className="mt-1 accent-pine"
      />
      <span>
        <span className={text ? 'font-medium' : ''}>{title}</span>
        {text && <span className="block text-sm text-ink-2">{text}</span>}
      </span>
    </label>
  );
}
