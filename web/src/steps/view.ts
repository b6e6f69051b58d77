import type { KindResults, StepKind, StepOf } from '@golden/core';
import type { LucideIcon } from 'lucide-react';
import type { ComponentType, ReactNode } from 'react';
import type { SampleOnSheet } from '../editor/samples/sample-run.ts';

export interface SheetProps<K extends StepKind> {
  readonly step: StepOf<K>;
  readonly samples: readonly SampleOnSheet[];
}

/** All that there is to see of one kind of step. What a step of any kind may come to is shown for all alike. */
export interface StepView<K extends StepKind> {
  readonly icon: LucideIcon;
  /** What adding one is called. */
  readonly add: string;
  /** The worksheet on which one is built. */
  readonly Sheet: ComponentType<SheetProps<K>>;
  /** The heading of its column in a run sheet. */
  title(step: StepOf<K>): string;
  /** Its cell in a run sheet. */
  cell(result: KindResults[K], step: StepOf<K>): ReactNode;
  /** Its part of a record's story. */
  story(result: KindResults[K], isRehearsal: boolean): ReactNode;
  /** Words for how many came to what: by the result's kind, or a write's outcome. */
  readonly counts: Readonly<Record<string, string>>;
}
