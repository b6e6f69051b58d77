import { Switch } from 'radix-ui';

interface OnOffProps {
  readonly isOn: boolean;
  /** True when it can't be switched. */
  readonly isOff: boolean;
  readonly label: string;
  readonly title?: string | undefined;
  readonly isBusy: boolean;
  readonly onChange: (isOn: boolean) => void;
}

/** A switch whose knob, place and label say the same. */
export function OnOff({ isOn, isOff, label, title, isBusy, onChange }: OnOffProps) {
  return (
    <Switch.Root
      checked={isOn}
      disabled={isOff || isBusy}
      aria-label={label}
      data-hint={title}
      onCheckedChange={onChange}
      className="flex h-[18px] w-[32px] items-center rounded-full border border-line-input bg-stone-tint px-[2px] data-[state=checked]:border-pine data-[state=checked]:bg-pine disabled:opacity-60"
    >
      <Switch.Thumb className="block size-[12px] rounded-full bg-line-input transition-transform data-[state=checked]:translate-x-[14px] data-[state=checked]:bg-pine-on" />
    </Switch.Root>
  );
}
