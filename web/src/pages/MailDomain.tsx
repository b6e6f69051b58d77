import { call } from '../api/client.ts';
import { type Settings, useAction, usePublicAddress } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { TextField } from '../parts/Field.tsx';
import { useSavedForm } from './use-saved-form.ts';

const formOf = ({ mailDomain }: Settings) => ({ mailDomain });

/** The domain under which mails from elsewhere come to the addresses of workflows. */
export function MailDomain({ settings }: { readonly settings: Settings }) {
  const { data } = usePublicAddress();
  const { register, handleSubmit, follow } = useSavedForm(formOf(settings));
  const save = useAction(async ({ mailDomain }: ReturnType<typeof formOf>) => {
    follow(formOf(await call('PUT /api/settings', { body: { ...settings, mailDomain } })));
  }, 'Saved.');
  return (
    <section aria-labelledby="mail-domain" className="mt-8">
      <h2 id="mail-domain" className="mb-2 text-xl">
        Mail domain
      </h2>
      <p className="mb-3 text-sm text-ink-2">
        Workflows can have e-mail addresses of their own. Let your mail server pass all mails for a domain of yours on
        to port {data?.mailPort ?? 2525} of this machine, and enter the domain here. Without one, only this machine
        sends to them.
      </p>
      <form onSubmit={handleSubmit((one) => save.mutate(one))}>
        <TextField label="Domain" placeholder="in.clay.example" {...register('mailDomain')} />
        <Button type="submit" disabled={save.isPending}>
          Save the domain
        </Button>
      </form>
    </section>
  );
}
