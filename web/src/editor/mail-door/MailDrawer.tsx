import { useQuery } from '@tanstack/react-query';
import { call } from '../../api/client.ts';
import { Drawer } from '../../parts/Drawer.tsx';
import { Loading } from '../../parts/Messages.tsx';

interface DrawerProps {
  readonly door: string;
  /** The mail that is shown; none when absent. */
  readonly seq: number | undefined;
  readonly onClose: () => void;
}

/** A mail that came, as plain text: nothing in it is loaded or run. */
export function MailDrawer({ door, seq, onClose }: DrawerProps) {
  const { data } = useQuery({
    queryKey: ['mail-door', door, 'mail', seq],
    queryFn: () => call('GET /api/mail-doors/:id/mails/:seq', { params: { id: door, seq: String(seq) } }),
    enabled: seq !== undefined,
  });
  return (
    <Drawer title={data?.subject || 'A mail'} isOpen={seq !== undefined} onClose={onClose} isWide>
      {!data && <Loading what="the mail" />}
      {data && (
        <>
          <p className="mb-3 text-ink-2">{data.from}</p>
          <pre className="mb-4 font-sans whitespace-pre-wrap break-words">{data.text}</pre>
          {data.links.length > 0 && (
            <>
              <h3 className="mb-1 font-medium">Pages that it leads to</h3>
              <ul className="space-y-1">
                {data.links.map((link) => (
                  <li key={link}>
                    <a
                      href={link}
                      target="_blank"
                      rel="noreferrer noopener"
                      className="underlined font-mono text-sm break-all [font-variant-ligatures:none]"
                    >
                      {link}
                    </a>
                  </li>
                ))}
              </ul>
            </>
          )}
        </>
      )}
    </Drawer>
  );
}
