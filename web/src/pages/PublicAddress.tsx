import { call } from '../api/client.ts';
import { type Settings, useAction, usePublicAddress } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { TextField } from '../parts/Field.tsx';
import { formatInstant } from '../parts/formats.ts';
import { useSavedForm } from './use-saved-form.ts';

/** What the form shows of the settings: the networks on one line. */
const formOf = ({ publicAddress, proxies }: Settings) => ({ publicAddress, proxies: proxies.join(', ') });

/** The address by which others reach this machine, where they do, and whether a call through it comes in. */
export function PublicAddress({ settings }: { readonly settings: Settings }) {
  const { data } = usePublicAddress();
  const { register, handleSubmit, follow } = useSavedForm(formOf(settings));
  const prove = useAction(() => call('POST /api/public-address', {}));
  const save = useAction(async ({ publicAddress, proxies }: ReturnType<typeof formOf>) => {
    const list = proxies.split(/[,\s]+/).filter(Boolean);
    follow(formOf(await call('PUT /api/settings', { body: { ...settings, publicAddress, proxies: list } })));
    if (publicAddress.trim() !== '') prove.mutate(undefined);
  }, 'Saved.');
  const proof = data?.proof;
  return (
    <section aria-labelledby="public-address" className="mt-8">
      <h2 id="public-address" className="mb-2 text-xl">
        Public address
      </h2>
      <p className="mb-3 text-sm text-ink-2">
        Apps elsewhere can post events only if they reach this machine. Let a proxy with https pass on to port{' '}
        {data?.port ?? 4605} of this machine, and enter its address here. Without one, only this machine posts to it.
      </p>
      <form onSubmit={handleSubmit((one) => save.mutate(one))}>
        <TextField label="Address" placeholder="https://relay.example.com" {...register('publicAddress')} />
        <TextField
          label="Proxies"
          placeholder="none"
          hint="Addresses or networks of the proxies that pass on, such as 10.0.0.2. Only what they say about a sender’s address counts."
          {...register('proxies')}
        />
        <div className="flex flex-wrap items-center gap-3">
          <Button type="submit" disabled={save.isPending || prove.isPending}>
            {prove.isPending ? 'Calling it…' : 'Try this address'}
          </Button>
          {proof && (
            <span role="status" className={`text-sm ${proof.trouble ? 'text-brick' : 'text-pine'}`}>
              {proof.trouble ?? `A call through it came in (${formatInstant(proof.at, settings.zone)}).`}
            </span>
          )}
        </div>
      </form>
    </section>
  );
}
