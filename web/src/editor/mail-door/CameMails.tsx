import { RotateCcw, ScanEye } from 'lucide-react';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { type MailDoorView, useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { counted, formatInstant } from '../../parts/formats.ts';
import { BodyDrawer, RefusedList, type Shown } from '../door/CameList.tsx';
import { useEditor } from '../draft/context.tsx';
import { MailDrawer } from './MailDrawer.tsx';

interface ListProps {
  readonly door: string;
  readonly view: MailDoorView;
  readonly onChanged: () => void;
}

const writtenBy: Readonly<Record<string, string>> = {
  person: 'a person',
  automatic: 'a program',
  list: 'a mailing list',
  bounce: 'a mail server',
};
const setUpAs = { probe: 'test mail', confirmation: 'asked for a confirmation' } as const;

/** The mails that came, and what was refused, the newest first. */
export function CameMails({ door, view: { came, refused, counts, forwarding }, onChanged }: ListProps) {
  const { zone } = useEditor();
  const [mail, setMail] = useState<number>();
  const [shown, setShown] = useState<Shown>();
  const again = useAction(
    (key: string) => call('POST /api/doors/:id/again', { params: { id: door }, body: { key } }),
    'Brought in as a mail of its own.',
  );
  const confirms = useAction(async (seq: number) => {
    await call('POST /api/mail-doors/:id/forwarding/confirmation', { params: { id: door }, body: { seq } });
    onChanged();
  }, 'It stands above, and is no record.');
  const isAwaited = forwarding !== null && forwarding.confirmation === null;
  return (
    <>
      {came.length > 0 && (
        <section aria-label="Mails that came" className="border-t border-line-1">
          <p className="px-5 pt-3 pb-1 text-sm text-ink-2">
            {counted(counts.came, 'mail')} came, {counted(counts.repeats, 'repeat')}, {counts.refused} refused.
            {counts.came > came.length && ` The newest ${came.length}:`}
          </p>
          <table className="sheet">
            <thead>
              <tr>
                <th scope="col">Came</th>
                <th scope="col">From</th>
                <th scope="col">Subject</th>
                <th scope="col">Written by</th>
                <th scope="col">
                  <span className="sr-only">What to do</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {came.map((one) => (
                <tr key={one.seq}>
                  <td className="whitespace-nowrap">
                    {formatInstant(one.at, zone)}
                    {one.repeats > 0 && (
                      <span className="ml-2 text-sm text-ink-2">+ {counted(one.repeats, 'repeat')}</span>
                    )}
                  </td>
                  <td className="max-w-[200px] truncate">{one.from}</td>
                  <td className="max-w-[320px] truncate">{one.subject || '(no subject)'}</td>
                  <td className="whitespace-nowrap text-ink-2">
                    {one.is ? <span className="text-plum">{setUpAs[one.is]}</span> : (writtenBy[one.kind] ?? '')}
                  </td>
                  <td className="whitespace-nowrap">
                    <span className="flex items-center">
                      <Button
                        look="quiet"
                        icon={<ScanEye size={14} strokeWidth={1.75} />}
                        onClick={() => setMail(one.seq)}
                      >
                        Show
                      </Button>
                      {isAwaited && one.is === null && (
                        <Button look="quiet" disabled={confirms.isPending} onClick={() => confirms.mutate(one.seq)}>
                          It asks to be confirmed
                        </Button>
                      )}
                      {one.repeats > 0 && one.is === null && (
                        <Button
                          look="quiet"
                          icon={<RotateCcw size={14} />}
                          disabled={again.isPending}
                          onClick={() => again.mutate(one.key)}
                        >
                          Bring in once more
                        </Button>
                      )}
                    </span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      {refused.length > 0 && <RefusedList refused={refused} zone={zone} onShow={setShown} />}
      <MailDrawer door={door} seq={mail} onClose={() => setMail(undefined)} />
      <BodyDrawer door={door} shown={shown} onClose={() => setShown(undefined)} />
    </>
  );
}
