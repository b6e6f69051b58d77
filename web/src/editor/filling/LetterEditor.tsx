import {
  autocompletion,
  type CompletionContext,
  type CompletionResult,
  completionStatus,
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { EditorState, type Range } from '@codemirror/state';
import { Decoration, type DecorationSet, EditorView, keymap } from '@codemirror/view';
import { fieldsInLetter, letterNames, type NamedField, typeLabel } from '@golden/core';
import { type RefObject, useEffect, useRef } from 'react';
import { commonLook, drawnBy } from '../text-editor.ts';

/** What can be done with a letter from beside it. */
export interface LetterHandle {
  /** Puts words where the cursor stands. */
  insert(words: string): void;
}

interface LetterProps {
  /** As the person types it, with fields in braces. */
  readonly value: string;
  readonly names: readonly NamedField[];
  readonly label: string;
  readonly handle: RefObject<LetterHandle | null>;
  readonly onChange: (typed: string) => void;
}

/** A letter under the hand: lines as they are typed, fields in braces, which are completed while they are typed. */
export default function LetterEditor({ value, names, label, handle, onChange }: LetterProps) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const latest = useRef({ names, onChange });
  latest.current = { names, onChange };
  // biome-ignore lint/correctness/useExhaustiveDependencies: made once; what changes is read from `latest`
  useEffect(() => {
    const made = new EditorView({
      parent: host.current as HTMLDivElement,
      state: EditorState.create({
        doc: value,
        extensions: [
          history(),
          autocompletion({
            override: [(context) => complete(context, latest.current.names)],
            icons: false,
            interactionDelay: 30,
          }),
          underlines(() => latest.current.names),
          keymap.of([...historyKeymap, ...defaultKeymap]),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': label, 'data-first': '', spellcheck: 'true' }),
          look,
          EditorView.updateListener.of((update) => {
            if (update.docChanged) latest.current.onChange(update.state.doc.toString());
          }),
          // Escape goes back to the row, unless it closes the list of fields.
          EditorView.domEventHandlers({
            keydown: (event, inside) =>
              event.key !== 'Escape' || completionStatus(inside.state) === null ? undefined : false,
          }),
        ],
      }),
    });
    view.current = made;
    handle.current = {
      insert: (words) => {
        const { from, to } = made.state.selection.main;
        made.dispatch({ changes: { from, to, insert: words }, selection: { anchor: from + words.length } });
        made.focus();
      },
    };
    return () => {
      handle.current = null;
      made.destroy();
    };
  }, []);
  // What was changed elsewhere (undone, written in another window) comes in.
  useEffect(() => {
    const made = view.current;
    if (!made || made.state.doc.toString() === value) return;
    made.dispatch({ changes: { from: 0, to: made.state.doc.length, insert: value } });
  }, [value]);
  return <div ref={host} className="rounded-md border border-line-input bg-raised" />;
}

/** Fields whose name has what stands behind the open brace. */
function complete(context: CompletionContext, names: readonly NamedField[]): CompletionResult | null {
  const word = context.matchBefore(/\{[^{}\n]*/u);
  if (!word) return null;
  const options = [...letterNames(names)]
    .filter(([{ known }]) => !known.isInList && known.field.type !== 'list' && known.field.type !== 'record')
    .map(([{ known }, name]) => ({
      label: name,
      detail: typeLabel(known.field),
      info: `of the ${known.from}`,
      apply: (inside: EditorView, _: unknown, from: number, to: number) => {
        const isClosed = inside.state.sliceDoc(to, to + 1) === '}';
        inside.dispatch({
          changes: { from, to, insert: isClosed ? name : `${name}}` },
          selection: { anchor: from + name.length + 1 },
        });
      },
    }));
  return { from: word.from + 1, options, validFor: /^[^{}\n]*$/u };
}

const underlined = Decoration.mark({ class: 'underlined' });

function underlines(names: () => readonly NamedField[]) {
  const draw = (view: EditorView): DecorationSet => {
    const all: Range<Decoration>[] = fieldsInLetter(view.state.doc.toString(), names()).map(({ from, to }) =>
      underlined.range(from, to),
    );
    return Decoration.set(all, true);
  };
  return drawnBy(draw);
}

const look = EditorView.theme({
  '&': { fontSize: '15px', color: 'var(--ink-1)', maxHeight: '210px' },
  '.cm-content': {
    fontFamily: 'var(--font-serif)',
    caretColor: 'var(--ink-1)',
    padding: '8px 2px',
    minHeight: '110px',
  },
  '.cm-scroller': { overflow: 'auto', fontFamily: 'var(--font-serif)' },
  ...commonLook,
  '.cm-tooltip-autocomplete > ul': { ...commonLook['.cm-tooltip-autocomplete > ul'], fontFamily: 'var(--font-sans)' },
});
