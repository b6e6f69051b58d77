import { call } from '../api/client.ts';
import { useAction, useTelling } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { SelectField, TextField } from '../parts/Field.tsx';
import { ProblemMessage } from '../parts/Messages.tsx';
import { useSavedForm } from './use-saved-form.ts';

/** Who is told when something needs them, and each day: people by mail, or a program by a posted event. */
export function BeingTold() {
  const { data } = useTelling();
  return (
    <section aria-labelledby="being-told" className="mt-8">
      <h2 id="being-told" className="mb-2 text-xl">
        Being told
      </h2>
      <p className="mb-3 text-sm text-ink-2">
        A mail when something needs you, several cases in one, at most every half hour; and a daily mail. The daily mail
        comes on quiet days too: if it doesn’t come, something is wrong. Instead of mails, events can be posted to a web
        address.
      </p>
      {data && data.senders.length === 0 && (
        <p className="mb-3">Connect a mailbox first, through which the mails can be sent, or a web address.</p>
      )}
      {data && data.senders.length > 0 && <TellingForm told={data} />}
    </section>
  );
}

type Told = NonNullable<ReturnType<typeof useTelling>['data']>;

function TellingForm({ told: { telling, senders, trouble } }: { readonly told: Told }) {
  const { register, handleSubmit, follow, getValues, formState, watch } = useSavedForm<Told['telling']>(telling);
  const chosen = watch('connection');
  const isEvent = senders.some(({ id, kind }) => kind === 'event' && id === chosen);
  const save = useAction(async (given: Told['telling']) => {
    follow((await call('PUT /api/telling', { body: given })).telling);
  }, 'Saved.');
  const tryOut = useAction(
    () => call('POST /api/telling/try', { body: getValues() }),
    isEvent ? 'Posted. The address has taken it.' : 'Sent. Look whether the mail has come.',
  );
  return (
    <form onSubmit={handleSubmit((given) => save.mutate(given))}>
      {trouble && <ProblemMessage>{trouble}</ProblemMessage>}
      <SelectField
        label="Told through"
        choices={[
          { value: '', label: 'nobody is told' },
          ...senders.map(({ id, name, kind }) => ({
            value: id,
            label: kind === 'mail' ? name : `${name}, by posted events`,
          })),
        ]}
        {...register('connection')}
      />
      {isEvent ? (
        <TextField
          label="Path at this address"
          placeholder="/told"
          hint="Events are posted as CloudEvents 1.0 in JSON. Leave it empty where the address is complete."
          {...register('to')}
        />
      ) : (
        <TextField
          label="To"
          placeholder="mira@clay.example"
          hint="Several addresses with commas."
          {...register('to')}
        />
      )}
      <TextField
        label={isEvent ? 'Daily event at' : 'Daily mail at'}
        type="time"
        hint={isEvent ? 'Leave it empty for none.' : 'Leave it empty for no daily mail.'}
        {...register('dailyAt')}
        error={formState.errors.dailyAt?.message}
      />
      <label className="mb-4 flex items-center gap-2">
        <input type="checkbox" className="accent-pine" {...register('onNeeds')} />
        Also {isEvent ? 'an event' : 'a mail'} when something needs you
      </label>
      <div className="grid grid-cols-2 gap-x-4">
        <TextField label="Not between" type="time" {...register('nightFrom')} />
        <TextField label="and" type="time" {...register('nightTo')} />
      </div>
      <div className="flex gap-2">
        <Button type="submit" disabled={save.isPending}>
          Save who is told
        </Button>
        <Button look="quiet" disabled={tryOut.isPending} onClick={() => tryOut.mutate(undefined)}>
          {tryOut.isPending ? 'Sending…' : isEvent ? 'Post an event to try it' : 'Send a mail to try it'}
        </Button>
      </div>
    </form>
  );
}
