import { Link } from 'react-router';
import { call } from '../api/client.ts';
import { type Settings, useAction, useCalendars, useUnsubscribed } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { SelectField, TextField } from '../parts/Field.tsx';
import { counted } from '../parts/formats.ts';
import { useSavedForm } from './use-saved-form.ts';

/** How news goes out to people, and who gets none. */
export function NewsToPeople({ settings }: { readonly settings: Settings }) {
  const calendars = useCalendars().data?.calendars;
  const unsubscribed = useUnsubscribed('', 0).data?.now ?? 0;
  return (
    <section aria-labelledby="news" className="mt-8">
      <h2 id="news" className="mb-2 text-xl">
        News to people
      </h2>
      <p className="mb-3 text-sm text-ink-2">
        News goes only to people who haven’t unsubscribed. Mails about an order, an invoice or an answer always go out.
      </p>
      <p className="mb-3">
        {unsubscribed === 0
          ? 'Nobody has unsubscribed.'
          : `${counted(unsubscribed, 'person has', 'people have')} unsubscribed.`}{' '}
        <Link to="/unsubscribed" className="underline">
          See the list
        </Link>
      </p>
      {/* What is chosen can be shown only once its choices are there. */}
      {calendars && <NewsForm settings={settings} calendars={calendars} />}
    </section>
  );
}

interface FormProps {
  readonly settings: Settings;
  readonly calendars: readonly { readonly id: string; readonly name: string }[];
}

function NewsForm({ settings, calendars }: FormProps) {
  const { register, handleSubmit, follow, formState } = useSavedForm<Settings['news']>(settings.news);
  const save = useAction(async (news: Settings['news']) => {
    follow((await call('PUT /api/settings', { body: { ...settings, news } })).news);
  }, 'Saved.');
  return (
    <form onSubmit={handleSubmit((news) => save.mutate(news))}>
      <TextField
        label="At most so many messages a day to one person"
        hint="Over all workflows. News above that goes out the next day. 0 means no limit."
        type="number"
        {...register('mostADay', {
          valueAsNumber: true,
          validate: (most) => (Number.isInteger(most) && most >= 0 && most <= 100) || 'A whole number from 0 to 100.',
        })}
        error={formState.errors.mostADay?.message}
      />
      <SelectField
        label="When news goes out"
        choices={[
          { value: '', label: 'at any time' },
          ...calendars.map(({ id, name }) => ({ value: id, label: `in the hours of “${name}”` })),
        ]}
        {...register('calendar')}
      />
      <Button type="submit" disabled={save.isPending}>
        Save how news goes out
      </Button>
    </form>
  );
}
