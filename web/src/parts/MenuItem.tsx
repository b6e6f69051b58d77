import { DropdownMenu } from 'radix-ui';
import type { ReactNode } from 'react';

interface ItemProps {
  readonly children: ReactNode;
  readonly onSelect: () => void;
  readonly keys?: string;
  readonly isOff?: boolean;
}

/** One line of a menu, with its shortcut. */
export function MenuItem({ children, onSelect, keys, isOff = false }: ItemProps) {
  return (
    <DropdownMenu.Item
      onSelect={onSelect}
      disabled={isOff}
      className="flex cursor-pointer items-baseline gap-3 rounded-sm px-2.5 py-1.5 outline-none data-[disabled]:cursor-not-allowed data-[disabled]:text-ink-3 data-[highlighted]:bg-pine-tint"
    >
      <span>{children}</span>
      {keys && <kbd className="key ml-auto">{keys}</kbd>}
    </DropdownMenu.Item>
  );
}
