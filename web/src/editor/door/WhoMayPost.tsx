import { useState } from 'react';
import { call } from '../../api/client.ts';
import { type DoorView, useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { CopyText } from './CopyText.tsx';

type Setting = DoorView['setting'];
type Access = Setting['access'];
type Signature = Extract<Access, { kind: 'signature' }>;

const ways: readonly { readonly value: Access['kind']; readonly label: string }[] = [
  { value: 'secret', label: 'who sends a secret in a header' },
  { value: 'standard', label: 'who signs by Standard Webhooks' },
  { value: 'signature', label: 'who signs in another way' },
  { value: 'anybody', label: 'anybody who has the address' },
];

const usual: Readonly<Record<Access['kind'], Access>> = {
  anybody: { kind: 'anybody' },
  secret: { kind: 'secret', header: 'x-secret' },
  standard: { kind: 'standard' },
  signature: {
    kind: 'signature',
    header: 'x-signature',
    algorithm: 'sha256',
    encoding: 'hex',
    prefix: '',
    signs: '{body}',
  },
};

interface WhoProps {
  readonly door: string;
  readonly setting: Setting;
  readonly onChange: (setting: Setting, secret?: string) => void;
}

/** Who may post, and the secret that proves it, which is shown only when it is made. */
export function WhoMayPost({ door, setting, onChange }: WhoProps) {
  const { access } = setting;
  const [secret, setSecret] = useState('');
  const [own, setOwn] = useState<string>();
  const renew = useAction(async () => {
    const made = await call('POST /api/doors/:id/secret', { params: { id: door } });
    setSecret(made.secret);
  });
  const choose = (kind: Access['kind']): void => {
    setSecret('');
    const eventId: Setting['eventId'] = kind === 'standard' ? { kind: 'header', name: 'webhook-id' } : setting.eventId;
    onChange({ ...setting, access: usual[kind], eventId });
  };
  return (
    <div className="space-y-2">
      <div className="flex flex-wrap items-center gap-2">
        <Select
          aria-label="Who may post"
          value={access.kind}
          onChange={(event) => choose(event.target.value as Access['kind'])}
          choices={[...ways]}
        />
        {access.kind === 'secret' && (
          <Text
            label="called"
            value={access.header}
            onChange={(header) => onChange({ ...setting, access: { ...access, header } })}
          />
        )}
        {access.kind !== 'anybody' && (
          <>
            <Button onClick={() => renew.mutate(undefined)} disabled={renew.isPending}>
              Make a secret
            </Button>
            <Button
              look="quiet"
              onClick={() => setOwn(own === undefined ? '' : undefined)}
              aria-expanded={own !== undefined}
            >
              Enter theirs
            </Button>
          </>
        )}
      </div>
      {access.kind === 'anybody' && (
        <p className="text-sm text-brass">
          Whoever learns the address can send in records. Use this only where the other app can’t send a secret.
        </p>
      )}
      {access.kind === 'signature' && (
        <SignedHow access={access} onChange={(next) => onChange({ ...setting, access: next })} />
      )}
      {secret !== '' && access.kind !== 'anybody' && (
        <div className="rounded-md border border-line-1 bg-pine-faint px-3 py-2">
          <CopyText label="The secret" text={secret} />
          <p className="mt-1 text-sm text-ink-2">
            It is shown only now. Paste it into the other app; the one before holds no more.
          </p>
        </div>
      )}
      {own !== undefined && access.kind !== 'anybody' && (
        <form
          className="flex flex-wrap items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            onChange(setting, own);
            setOwn(undefined);
          }}
        >
          <input
            aria-label="The secret that the other app gives"
            placeholder="The secret that the other app gives"
            type="password"
            autoComplete="off"
            value={own}
            onChange={(event) => setOwn(event.target.value)}
            className={`${inputLook} w-[320px]`}
          />
          <Button type="submit" disabled={own.trim().length < 8}>
            Keep it
          </Button>
        </form>
      )}
    </div>
  );
}

interface SignedProps {
  readonly access: Signature;
  readonly onChange: (access: Signature) => void;
}

/** How another app signs: its own instructions say each of these. */
function SignedHow({ access, onChange }: SignedProps) {
  const optional = (name: 'timeHeader' | 'idHeader') => (value: string) => {
    const { [name]: _, ...rest } = access;
    onChange(value === '' ? rest : { ...rest, [name]: value });
  };
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-2 border-l-2 border-line-1 pl-3">
      <Text
        label="The signature is in the header"
        value={access.header}
        onChange={(header) => onChange({ ...access, header })}
      />
      <span className="flex items-center gap-2">
        <span className="text-ink-2">made by HMAC with</span>
        <Select
          aria-label="Made by HMAC with"
          value={access.algorithm}
          onChange={(event) => onChange({ ...access, algorithm: event.target.value as Signature['algorithm'] })}
          choices={[
            { value: 'sha256', label: 'SHA-256' },
            { value: 'sha512', label: 'SHA-512' },
            { value: 'sha1', label: 'SHA-1' },
          ]}
        />
      </span>
      <span className="flex items-center gap-2">
        <span className="text-ink-2">written in</span>
        <Select
          aria-label="Written in"
          value={access.encoding}
          onChange={(event) => onChange({ ...access, encoding: event.target.value as Signature['encoding'] })}
          choices={[
            { value: 'hex', label: 'hexadecimal digits' },
            { value: 'base64', label: 'Base64' },
          ]}
        />
      </span>
      <Text
        label="behind"
        value={access.prefix}
        placeholder="nothing"
        onChange={(prefix) => onChange({ ...access, prefix })}
      />
      <Text
        label="Signed is"
        hint="A text with {body}, and {time} and {id} where those come in headers."
        value={access.signs}
        onChange={(signs) => onChange({ ...access, signs })}
      />
      <Text
        label="the time is in the header"
        value={access.timeHeader ?? ''}
        placeholder="none"
        onChange={optional('timeHeader')}
      />
      <Text
        label="the id is in the header"
        value={access.idHeader ?? ''}
        placeholder="none"
        onChange={optional('idHeader')}
      />
    </div>
  );
}

interface TextProps {
  readonly label: string;
  readonly value: string;
  readonly placeholder?: string;
  readonly hint?: string;
  readonly onChange: (value: string) => void;
}

/** A short text that is taken over when one leaves it. */
function Text({ label, value, placeholder, hint, onChange }: TextProps) {
  return (
    <label className="flex items-center gap-2" data-hint={hint}>
      <span className="text-ink-2">{label}</span>
      <input
        key={value}
        defaultValue={value}
        placeholder={placeholder}
        onBlur={(event) => event.target.value.trim() !== value && onChange(event.target.value.trim())}
        onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
        className={`${inputLook} w-[150px] font-mono text-sm [font-variant-ligatures:none]`}
      />
    </label>
  );
}
