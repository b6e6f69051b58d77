import { Link2Off, Pencil } from 'lucide-react';
import { useState } from 'react';
import { call } from '../api/client.ts';
import { type RememberedLink, useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { TextField } from '../parts/Field.tsx';
import { percentText } from '../parts/formats.ts';
import { OutsideLink } from '../parts/OutsideLink.tsx';

const origins: Record<RememberedLink['origin'], string> = {
  found: 'recognised',
  created: 'made by a run',
  chosen: 'chosen by a person',
  imported: 'imported',
  corrected: 'corrected by a person',
};

/** How a pair came to be remembered, and how sure that was. */
export const HowFound = ({ link }: { readonly link: RememberedLink }) => (
  <>
    {origins[link.origin]}
    {link.probability !== null && <span className="text-ink-2">, {percentText(link.probability)} sure</span>}
  </>
);

/** A remembered pair is corrected or cut. */
export function LinkActions({ link }: { readonly link: RememberedLink }) {
  const [asked, setAsked] = useState<'' | 'correct' | 'cut'>('');
  const cut = useAction(async () => {
    setAsked('');
    await call('DELETE /api/links/:id', { params: { id: link.id } });
  }, 'Removed. The next change searches for its record again.');
  return (
    <span className="flex justify-end">
      <Button
        look="quiet"
        aria-label={`Correct the link of ${link.from.id}`}
        data-hint="Correct it"
        icon={<Pencil size={14} />}
        onClick={() => setAsked('correct')}
      />
      <Button
        look="quiet"
        aria-label={`Remove the link of ${link.from.id}`}
        data-hint="Cut it"
        icon={<Link2Off size={14} />}
        onClick={() => setAsked('cut')}
      />
      {asked === 'correct' && <CorrectDialog link={link} onClose={() => setAsked('')} />}
      <ConfirmDialog
        title="Remove this link"
        isOpen={asked === 'cut'}
        onClose={() => setAsked('')}
        confirm="Cut it"
        onConfirm={() => cut.mutate(undefined)}
      >
        <p>Nothing is changed in either app. The next change of {link.from.id} looks for its record again.</p>
      </ConfirmDialog>
    </span>
  );
}

/** An id, with the way to its page where there is one. */
export function RecordId({ url, id }: { readonly url: string | null; readonly id: string }) {
  if (!url) return <span className="font-mono text-sm">{id}</span>;
  return (
    <OutsideLink href={url} className="underlined font-mono text-sm">
      {id}
    </OutsideLink>
  );
}

function CorrectDialog({ link, onClose }: { readonly link: RememberedLink; readonly onClose: () => void }) {
  const [toId, setToId] = useState('');
  const correct = useAction(async () => {
    await call('PUT /api/links/:id', { params: { id: link.id }, body: { toId } });
    onClose();
  }, 'Corrected. The next change goes to that record.');
  return (
    <ConfirmDialog
      title="Which record is it?"
      isOpen
      onClose={onClose}
      isBusy={correct.isPending}
      confirm="Correct it"
      onConfirm={() => toId.trim() && correct.mutate(undefined)}
    >
      <p>
        {link.from.id} is remembered to be {link.title ?? link.to.id}. What was written there stays as it is.
      </p>
      <TextField
        label="The id of the right record"
        value={toId}
        onChange={(event) => setToId(event.target.value)}
        hint={`In ${link.to.place.join(' → ')}, now ${link.to.id}`}
      />
    </ConfirmDialog>
  );
}
