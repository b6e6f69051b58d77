import type { Business } from '@golden/core';
import { call } from '../api/client.ts';
import { type Settings, useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { TextArea, TextField } from '../parts/Field.tsx';
import { useSavedForm } from './use-saved-form.ts';

/** What the business says of itself, to be used in letters and records of any workflow. */
export function YourBusiness({ settings }: { readonly settings: Settings }) {
  const { register, handleSubmit, follow } = useSavedForm<Business>(settings.business);
  const save = useAction(async (business: Business) => {
    follow((await call('PUT /api/settings', { body: { ...settings, business } })).business);
  }, 'Saved.');
  return (
    <section aria-labelledby="your-business" className="mt-8">
      <h2 id="your-business" className="mb-2 text-xl">
        Your business
      </h2>
      <p className="mb-3 text-sm text-ink-2">
        These can be used in every workflow, in letters for example, as “our address” or “our signature”. A change
        counts for records that are taken in from then on.
      </p>
      <form onSubmit={handleSubmit((given) => save.mutate(given))}>
        <TextArea label="Address" rows={3} {...register('address')} />
        <TextField label="Telephone" {...register('phone')} />
        <TextField label="E-mail address" type="email" {...register('email')} />
        <TextField label="Website" {...register('website')} />
        <TextArea label="Signature" hint="What stands below your letters." rows={3} {...register('signature')} />
        <Button type="submit" disabled={save.isPending}>
          Save these
        </Button>
      </form>
    </section>
  );
}
