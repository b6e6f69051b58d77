import { call } from '../api/client.ts';
import { type Settings, useAction, useKeptValues } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { TextField } from '../parts/Field.tsx';
import { counted, formatBytes } from '../parts/formats.ts';
import { useSavedForm } from './use-saved-form.ts';

/** For how long the values of ended records are kept, and taking out at once what is older. */
export function KeptValues({ settings }: { readonly settings: Settings }) {
  const { register, handleSubmit, follow, formState } = useSavedForm<Pick<Settings, 'keepDays'>>({
    keepDays: settings.keepDays,
  });
  const save = useAction(async ({ keepDays }: Pick<Settings, 'keepDays'>) => {
    follow({ keepDays: (await call('PUT /api/settings', { body: { ...settings, keepDays } })).keepDays });
  }, 'Saved.');
  return (
    <section aria-labelledby="kept-values" className="mt-8">
      <h2 id="kept-values" className="mb-2 text-xl">
        How long values are kept
      </h2>
      <p className="mb-3 text-sm text-ink-2">
        When a record has ended, its values are kept for some days, then taken out of the data file. What became of it
        stays, and so do links and decisions, but it can’t be undone any more.
      </p>
      <form onSubmit={handleSubmit((days) => save.mutate(days))} className="mb-4">
        <TextField
          label="Days to keep them"
          hint="From 7 to 3650."
          type="number"
          {...register('keepDays', {
            valueAsNumber: true,
            validate: (days) =>
              (Number.isInteger(days) && days >= 7 && days <= 3650) || 'A whole number of days from 7 to 3650.',
          })}
          error={formState.errors.keepDays?.message}
        />
        <Button type="submit" disabled={save.isPending}>
          Save the days
        </Button>
      </form>
      <Older days={settings.keepDays} />
    </section>
  );
}

/** What is older than the days, and how far it is out. */
function Older({ days }: { readonly days: number }) {
  const { data } = useKeptValues();
  const takeOut = useAction(() => call('POST /api/kept-values/take-out', {}));
  const stop = useAction(() => call('POST /api/kept-values/stop', {}), 'Stopped. What is out stays out.');
  if (!data) return null;
  const { bytes, older, most, underWay } = data;
  const records = older === most ? `More than ${counted(most, 'record')}` : counted(older, 'record');
  if (underWay !== null)
    return (
      <div className="flex items-center gap-3" role="status">
        <span>Taking out… {counted(underWay, 'record')} so far.</span>
        <Button onClick={() => stop.mutate(undefined)} disabled={stop.isPending}>
          Stop
        </Button>
      </div>
    );
  return (
    <>
      <p className="mb-3">
        The data file has {formatBytes(bytes)}.{' '}
        {older === 0
          ? `No values are older than ${counted(days, 'day')}.`
          : `${records} with values ended more than ${counted(days, 'day')} ago.`}
      </p>
      {older > 0 && (
        <Button onClick={() => takeOut.mutate(undefined)} disabled={takeOut.isPending}>
          Take them out now
        </Button>
      )}
    </>
  );
}
