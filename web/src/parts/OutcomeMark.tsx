import type { ItemStateName as StateName } from '@golden/core';
import {
  Ban,
  CircleMinus,
  CircleStop,
  Equal,
  Hand,
  Hourglass,
  type LucideIcon,
  PackageCheck,
  Pencil,
  Plus,
  RotateCw,
  Scissors,
  Trash2,
  Undo2,
} from 'lucide-react';

/** An outcome by shape, word and colour. */
export interface Look {
  readonly icon: LucideIcon;
  readonly word: string;
  /** The word for several, where it differs. */
  readonly several?: string;
  readonly colour: string;
}

/** Every outcome by shape, word and colour, so that none rests on colour alone. */
export const stateLooks: Record<StateName, Look> = {
  delivered: { icon: PackageCheck, word: 'delivered', colour: 'text-pine' },
  left_out: { icon: CircleMinus, word: 'left out', colour: 'text-stone' },
  unsettled: { icon: Hand, word: 'needs you', several: 'need you', colour: 'text-brass' },
  waiting: { icon: Hourglass, word: 'waiting', colour: 'text-plum' },
  running: { icon: RotateCw, word: 'on its way', colour: 'text-ink-2' },
  dismissed: { icon: Ban, word: 'dismissed', colour: 'text-stone' },
  cancelled: { icon: CircleStop, word: 'cancelled', colour: 'text-stone' },
  undone: { icon: Undo2, word: 'undone', colour: 'text-stone' },
};

/** Every outcome of a step by shape, word and colour. */
export const writeLooks = {
  new: { icon: Plus, word: 'new', colour: 'text-pine' },
  changed: { icon: Pencil, word: 'changed', colour: 'text-slate' },
  same: { icon: Equal, word: 'the same', colour: 'text-stone' },
  removed: { icon: Trash2, word: 'removed', colour: 'text-brick' },
  unsettled: { icon: Hand, word: 'needs you', several: 'need you', colour: 'text-brass' },
  left_out: { icon: CircleMinus, word: 'left out', colour: 'text-stone' },
  cut: { icon: Scissors, word: 'cut', colour: 'text-brick' },
} satisfies Record<string, Look>;

interface MarkProps {
  readonly look: Look;
  readonly text?: string;
  readonly count?: number;
}

/** An outcome, with how many there are of it. */
export function OutcomeMark({ look, text, count }: MarkProps) {
  const Icon = look.icon;
  return (
    <span className={`inline-flex min-w-0 max-w-full items-center gap-1.5 align-middle ${look.colour}`}>
      <Icon size={14} strokeWidth={1.75} aria-hidden="true" className="shrink-0" />
      <span className="truncate">
        {count !== undefined && `${count} `}
        {text ?? (count !== undefined && count !== 1 ? (look.several ?? look.word) : look.word)}
      </span>
    </span>
  );
}
