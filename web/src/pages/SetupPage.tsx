import { useForm } from 'react-hook-form';
import { call } from '../api/client.ts';
import { type Settings, useDo } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { SelectField, TextField } from '../parts/Field.tsx';
import { countryChoices, hereNow, zoneChoices } from '../parts/locales.ts';

/** The first thing asked: by which zone and country everything unsaid is read. */
export function SetupPage({ settings }: { readonly settings: Settings }) {
  const here = hereNow();
  const { register, handleSubmit } = useForm<Settings>({
    defaultValues: { ...settings, zone: here.zone ?? settings.zone, country: here.country ?? settings.country },
  });
  const save = useDo((given: Settings) =>
    call('PUT /api/settings', { body: { ...settings, ...given, isSetUp: true } }),
  );
  return (
    <div className="mx-auto max-w-[520px] px-6 py-12">
      <h1 className="text-2xl">Before the first copy</h1>
      <p className="mt-1 mb-6 text-md text-ink-2">
        Two things decide how dates and telephone numbers are read. Both can be changed later in the settings.
      </p>
      <form onSubmit={handleSubmit((given) => save.mutate(given))}>
        <SelectField
          label="Time zone"
          hint="An instant becomes a date in this zone; working hours and schedules use it."
          choices={zoneChoices}
          {...register('zone')}
        />
        <SelectField
          label="Country"
          hint="How telephone numbers without a country code, and dates in figures, are read."
          choices={countryChoices}
          {...register('country')}
        />
        <TextField label="Name of the business (optional)" {...register('workspace')} />
        <Button look="main" type="submit" disabled={save.isPending}>
          Begin
        </Button>
      </form>
    </div>
  );
}
