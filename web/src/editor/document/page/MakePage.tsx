import { FilePen } from 'lucide-react';
import { useState } from 'react';
import { Button } from '../../../parts/Button.tsx';
import { PageDialog, type PageSource } from './PageDialog.tsx';

/** Makes a page here, as a template that gives PDFs. @param source - what it is for: its first values are proposed */
export function MakePage({ source }: { readonly source?: PageSource | undefined }) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button icon={<FilePen size={14} strokeWidth={1.75} />} onClick={() => setOpen(true)}>
        Make a page here
      </Button>
      <PageDialog source={source} isOpen={isOpen} onClose={() => setOpen(false)} />
    </>
  );
}
