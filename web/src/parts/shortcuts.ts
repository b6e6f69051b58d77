import { useEffect, useRef } from 'react';
import { readLocal, storeLocal } from './local-settings.ts';

/** Every shortcut, for the list that a person can open. */
export const shortcutList: readonly {
  readonly where: string;
  readonly keys: readonly (readonly [string, string])[];
}[] = [
  {
    where: 'Everywhere',
    keys: [
      ['Ctrl K', 'find a workflow, a field, a command'],
      ['?', 'this list'],
      ['Escape', 'close what is open'],
    ],
  },
  {
    where: 'A workflow',
    keys: [
      ['Ctrl Z', 'undo'],
      ['Ctrl Y', 'redo'],
      ['R', 'rehearse over the samples'],
    ],
  },
  {
    where: 'The brief',
    keys: [
      ['↑ ↓', 'the step before, after'],
      ['Alt ↑ ↓', 'move the step'],
      ['Tab', 'to the sheet of the step'],
      ['A', 'add a step after this one'],
      ['B', 'fold the brief, unfold it'],
      ['D', 'duplicate it'],
      ['O', 'switch it off or on'],
      ['T', 'try it alone over the samples'],
      ['Delete', 'remove it (it can be undone)'],
    ],
  },
  {
    where: 'Needs you',
    keys: [
      ['J, K', 'the next, the one before'],
      ['1 … 9', 'it is this one'],
      ['0', 'it is a new one'],
      ['M', 'merge them'],
      ['X', 'dismiss it'],
      ['R', 'always decide like this'],
    ],
  },
  {
    where: 'Duplicates',
    keys: [
      ['J, K', 'the next, the one before'],
      ['S', 'they are the same: merge them'],
      ['D', 'they are different'],
    ],
  },
  {
    where: 'The mapping sheet',
    keys: [
      ['↑ ↓', 'the field before, after'],
      ['← →', 'into the values of the samples'],
      ['Enter', 'fill the field; on a value, what is wrong with it'],
      ['N, Shift N', 'the next, previous problem'],
      ['Y', 'accept the suggestion'],
      ['Ctrl C, Ctrl V', 'copy what fills it, fill another alike'],
      ['Ctrl D', 'fill it like the row above'],
      ['/', 'search the sheet'],
      ['Delete', 'clear what fills it (it can be undone)'],
    ],
  },
];

const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.matches('input, textarea, select') || target.isContentEditable);

/** True while a dialog, a drawer or a menu is open, to which the keys belong then. */
const isCovered = (): boolean => document.querySelector('[role="dialog"], [role="menu"]') !== null;

/**
 * Keys by name, such as `n`, `shift+n`, `alt+arrowdown`, `ctrl+k`. One that answers `false` declines:
 * the key then does what it does without it, such as scrolling.
 */
export type Shortcuts = Readonly<Record<string, (event: KeyboardEvent) => unknown>>;

const keptName = 'golden-single-keys';

/** Whether keys without Ctrl or Alt do something: people who speak to their machine may switch them off (WCAG 2.1.4). */
export function hasSingleKeys(): boolean {
  return readLocal(keptName) !== 'off';
}

/** Switches keys without Ctrl or Alt on or off, on this machine. */
export function setSingleKeys(isOn: boolean): void {
  storeLocal(keptName, isOn ? undefined : 'off');
}

/** True for a sign that is typed alone or with Shift: a letter, a figure, a punctuation mark. */
export const isSingleKey = (name: string): boolean => [...name.replace(/^shift\+/, '')].length === 1;

/** The name by which a key is looked up. */
export function keyName(event: KeyboardEvent): string {
  const parts = [event.ctrlKey || event.metaKey ? 'ctrl' : '', event.altKey ? 'alt' : ''];
  const key = event.key.toLowerCase();
  // A sign such as ? is typed with Shift on some keyboards and without on others.
  if (event.shiftKey && (key.length > 1 || /\p{L}/u.test(key))) parts.push('shift');
  return [...parts.filter(Boolean), key].join('+');
}

/** Listens to keys for as long as the component is shown; not while text is typed or a dialog is open. */
export function useShortcuts(shortcuts: Shortcuts): void {
  const latest = useRef(shortcuts);
  latest.current = shortcuts;
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      const name = keyName(event);
      const run = latest.current[name];
      if (!run || event.defaultPrevented) return;
      const isGlobal = name === 'ctrl+k';
      if (!isGlobal && (isTyping(event.target) || isCovered())) return;
      if (isSingleKey(name) && !hasSingleKeys()) return;
      if (run(event) !== false) event.preventDefault();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}
