import type { TriggerKind, TriggerOf } from '@golden/core';
import type { ComponentType } from 'react';

export interface SettingProps<K extends TriggerKind> {
  readonly trigger: TriggerOf<K>;
  readonly onChange: (trigger: TriggerOf<K>) => void;
}

/** All that there is to see of one kind of start. */
export interface TriggerView<K extends TriggerKind> {
  /** How it is offered among the others. */
  readonly label: string;
  /** True where it can be chosen for records that an app lists. */
  readonly isForListed: boolean;
  /** What is set of it, beside its name. */
  readonly Setting: ComponentType<SettingProps<K>>;
}
