import { schemePlaceholders } from '@golden/core';
import { call } from '../api/client.ts';
import { type Settings, useAction, useBackups, useSettings } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { SelectField, TextField } from '../parts/Field.tsx';
import { counted, formatAgo, formatInstant } from '../parts/formats.ts';
import { countryChoices, zoneChoices } from '../parts/locales.ts';
import { Loading, ProblemMessage } from '../parts/Messages.tsx';
import { type Theme, themes, useTheme } from '../parts/theme.ts';
import { BeingTold } from './BeingTold.tsx';
import { DocumentTemplates } from './DocumentTemplates.tsx';
import { FilesToAttach } from './FilesToAttach.tsx';
import { KeptValues } from './KeptValues.tsx';
import { MailDomain } from './MailDomain.tsx';
import { NewsToPeople } from './NewsToPeople.tsx';
import { PublicAddress } from './PublicAddress.tsx';
import { useSavedForm } from './use-saved-form.ts';
import { WorkingHours } from './WorkingHours.tsx';
import { YourBusiness } from './YourBusiness.tsx';

const themeWords: Record<Theme, string> = { system: 'same as the system', light: 'light', dark: 'dark' };

/** The workspace: its name, the zone and country by which unsaid things are read, and how it looks here. */
export function SettingsPage() {
  const settings = useSettings().data;
  const [theme, setTheme] = useTheme();
  if (!settings) return <Loading what="the settings" />;
  return (
    <div className="max-w-[520px] px-6 py-4">
      <h1 className="mb-4 text-2xl">Settings</h1>
      <SettingsForm settings={settings} />
      <YourBusiness settings={settings} />
      <BeingTold />
      <WorkingHours />
      <NewsToPeople settings={settings} />
      <DocumentTemplates zone={settings.zone} />
      <FilesToAttach zone={settings.zone} />
      <PublicAddress settings={settings} />
      <MailDomain settings={settings} />
      <KeptValues settings={settings} />
      <Copies zone={settings.zone} />
      <h2 className="mt-8 mb-2 text-xl">On this machine</h2>
      <SelectField
        label="Theme"
        value={theme}
        onChange={(event) => setTheme(event.target.value as Theme)}
        choices={themes.map((one) => ({ value: one, label: themeWords[one] }))}
      />
    </div>
  );
}

/** How old the last copy of everything is, where the copies lie, and one more at once. */
function Copies({ zone }: { readonly zone: string }) {
  const { data } = useBackups();
  const make = useAction(() => call('POST /api/backups', {}), 'Backup made.');
  if (!data) return null;
  const [newest] = data.copies;
  return (
    <section aria-labelledby="copies" className="mt-8">
      <h2 id="copies" className="mb-2 text-xl">
        Backups
      </h2>
      {data.trouble && <ProblemMessage>{data.trouble}</ProblemMessage>}
      <p className="mb-2">
        {newest
          ? `The last one was made ${formatAgo(newest.at)} (${formatInstant(newest.at, zone)}). ${counted(data.copies.length, 'copy', 'copies')} so far.`
          : 'There is no backup yet.'}{' '}
        A backup is made each night. Seven are kept.
      </p>
      <p className="mb-3 text-sm text-ink-2">
        They lie in <span className="font-mono break-all [font-variant-ligatures:none]">{data.folder}</span>. Keep them
        on another disk as well.
      </p>
      <Button onClick={() => make.mutate(undefined)} disabled={make.isPending}>
        {make.isPending ? 'Backing up…' : 'Back up now'}
      </Button>
    </section>
  );
}

function SettingsForm({ settings }: { readonly settings: Settings }) {
  const { register, handleSubmit, follow, formState } = useSavedForm<Settings>(settings);
  const save = useAction(async (given: Settings) => {
    follow(await call('PUT /api/settings', { body: given }));
  }, 'Saved.');
  return (
    <form onSubmit={handleSubmit((given) => save.mutate({ ...settings, ...given }))}>
      <TextField label="Name of the business" {...register('workspace')} />
      <SelectField
        label="Time zone"
        hint="Dates, working hours and schedules use it. A workflow may have its own."
        choices={zoneChoices}
        {...register('zone')}
      />
      <SelectField
        label="Country"
        hint="How telephone numbers without a country code, and dates in figures, are read."
        choices={countryChoices}
        {...register('country')}
      />
      <TextField
        label="How new workflows are named"
        hint="Words in braces are filled in: {from} and {to} are the connections, {records} what is copied, {place} where to."
        {...register('naming', {
          validate: (scheme) =>
            [...scheme.matchAll(/\{(\w*)\}/g)].every(([, word]) => schemePlaceholders.some((one) => one === word)) ||
            `Only ${schemePlaceholders.map((word) => `{${word}}`).join(', ')} can stand in braces.`,
        })}
        error={formState.errors.naming?.message}
      />
      <TextField
        label="How many hours to keep trying an app that doesn’t answer"
        hint="After that, its records need you. Up to 168 hours (a week); 0 asks you at once."
        type="number"
        {...register('retryHours', {
          valueAsNumber: true,
          validate: (hours) => (hours >= 0 && hours <= 168) || 'A number of hours from 0 to 168.',
        })}
        error={formState.errors.retryHours?.message}
      />
      <label className="mb-4 flex items-start gap-2">
        <input type="checkbox" {...register('mayCallInside')} className="mt-1 accent-pine" />
        <span>
          Workflows may call addresses inside this machine’s own network
          <span className="block text-sm text-ink-2">
            Otherwise a workflow can’t reach what only this network sees. Practice apps are reached in any case.
          </span>
        </span>
      </label>
      <Button look="main" type="submit" disabled={save.isPending}>
        Save
      </Button>
    </form>
  );
}
