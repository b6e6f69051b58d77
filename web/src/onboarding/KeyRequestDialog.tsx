import { Copy } from 'lucide-react';
import { useState } from 'react';
import { toast } from 'sonner';
import { Button } from '../parts/Button.tsx';
import { Drawer } from '../parts/Drawer.tsx';
import { TextField } from '../parts/Field.tsx';
import { keyRequestText } from './key-request.ts';

/** A text to send to whoever looks after an app, asking for an access key with the smallest right that is enough. */
export function KeyRequestDialog({ isOpen, onClose }: { readonly isOpen: boolean; readonly onClose: () => void }) {
  const [app, setApp] = useState('');
  const [records, setRecords] = useState('');
  const [mayWrite, setMayWrite] = useState(false);
  const text = keyRequestText({ app, records, mayWrite });
  const copy = async (): Promise<void> => {
    try {
      await navigator.clipboard.writeText(text);
      toast('Copied. Paste it into a mail.');
    } catch {
      toast.error('The browser didn’t allow copying. Select the text and copy it yourself.');
    }
  };
  return (
    <Drawer title="Ask for an access key" isOpen={isOpen} onClose={onClose}>
      <TextField
        label="Which app"
        placeholder="our shop"
        value={app}
        onChange={(event) => setApp(event.target.value)}
      />
      <TextField
        label="Which records"
        placeholder="customers and orders"
        value={records}
        onChange={(event) => setRecords(event.target.value)}
      />
      <label className="mb-4 flex items-center gap-2">
        <input
          type="checkbox"
          checked={mayWrite}
          onChange={(event) => setMayWrite(event.target.checked)}
          className="accent-pine"
        />
        Records are also written there
      </label>
      <section
        // Long texts scroll; the keyboard reaches them too.
        // biome-ignore lint/a11y/noNoninteractiveTabindex: see above
        tabIndex={0}
        aria-label="The text"
        className="mb-3 max-h-[46vh] overflow-y-auto rounded-md border border-line-1 bg-raised px-3 py-2 whitespace-pre-wrap"
      >
        {text}
      </section>
      <Button look="main" icon={<Copy size={15} strokeWidth={1.75} />} onClick={() => void copy()}>
        Copy the text
      </Button>
    </Drawer>
  );
}
