import { Copy } from 'lucide-react';
import { toast } from 'sonner';
import { Button } from '../../parts/Button.tsx';
import { inputLook } from '../../parts/Field.tsx';

interface CopyProps {
  readonly label: string;
  readonly text: string;
}

/** A text that is pasted elsewhere, with a button that copies it. */
export function CopyText({ label, text }: CopyProps) {
  const copy = async (): Promise<void> => {
    try {
      await navigator.clipboard.writeText(text);
      toast('Copied.');
    } catch {
      toast.error('The browser didn’t allow copying. Select the text and copy it yourself.');
    }
  };
  return (
    <span className="flex min-w-0 flex-1 items-center gap-2">
      <input
        readOnly
        aria-label={label}
        value={text}
        onFocus={(event) => event.target.select()}
        className={`${inputLook} min-w-[200px] max-w-[560px] flex-1 font-mono text-sm [font-variant-ligatures:none]`}
      />
      <Button
        icon={<Copy size={14} strokeWidth={1.75} />}
        onClick={() => void copy()}
        aria-label={`Copy ${label.toLowerCase()}`}
      >
        Copy
      </Button>
    </span>
  );
}
