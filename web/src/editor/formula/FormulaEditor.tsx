import {
  autocompletion,
  type CompletionContext,
  type CompletionResult,
  closeBrackets,
  closeBracketsKeymap,
  completionStatus,
  startCompletion,
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { setDiagnostics } from '@codemirror/lint';
import { EditorState, type Range } from '@codemirror/state';
import { Decoration, type DecorationSet, EditorView, keymap } from '@codemirror/view';
import {
  type FormulaIssue,
  formulaFunctions,
  type NamedField,
  quoteName,
  type Spelling,
  signatureOf,
  tokensOf,
  toStored,
  typeLabel,
} from '@golden/core';
import { useEffect, useRef } from 'react';
import { commonLook, drawnBy } from '../text-editor.ts';

interface EditorProps {
  /** As the person writes it. */
  readonly value: string;
  readonly spelling: Spelling;
  readonly names: readonly NamedField[];
  readonly issues: readonly FormulaIssue[];
  readonly label: string;
  readonly onChange: (typed: string) => void;
  /** Where the cursor stands, for what explains the function there. */
  readonly onCursor: (at: number) => void;
}

const isTypedInto = (element: Element | null): boolean =>
  element instanceof HTMLInputElement || element instanceof HTMLTextAreaElement;

/** A formula under the hand: coloured by its parts, completing fields and functions, errors underlined where they stand. */
export default function FormulaEditor({ value, spelling, names, issues, label, onChange, onCursor }: EditorProps) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const latest = useRef({ spelling, names, onChange, onCursor });
  latest.current = { spelling, names, onChange, onCursor };
  // biome-ignore lint/correctness/useExhaustiveDependencies: made once; what changes is read from `latest`
  useEffect(() => {
    const made = new EditorView({
      parent: host.current as HTMLDivElement,
      state: EditorState.create({
        doc: value,
        extensions: [
          history(),
          closeBrackets(),
          autocompletion({
            override: [(context) => complete(context, latest.current.names, latest.current.spelling)],
            icons: false,
            activateOnTyping: true,
            interactionDelay: 30,
          }),
          colours(() => latest.current.spelling),
          keymap.of([
            ...closeBracketsKeymap,
            ...historyKeymap,
            { key: 'Mod-Space', run: startCompletion },
            ...defaultKeymap,
          ]),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': label, 'data-first': '', spellcheck: 'false' }),
          look,
          EditorView.updateListener.of((update) => {
            if (update.docChanged) latest.current.onChange(update.state.doc.toString());
            if (update.docChanged || update.selectionSet) latest.current.onCursor(update.state.selection.main.head);
          }),
          // Escape goes back to the row, unless it closes the list of completions.
          EditorView.domEventHandlers({
            keydown: (event, inside) =>
              event.key !== 'Escape' || completionStatus(inside.state) === null ? undefined : false,
          }),
        ],
      }),
    });
    view.current = made;
    // It comes a moment later than the rest of the page: whoever types elsewhere by then isn't interrupted.
    if (!isTypedInto(document.activeElement)) made.focus();
    made.dispatch({ selection: { anchor: made.state.doc.length } });
    return () => made.destroy();
  }, []);
  // What was changed elsewhere (undone, turned into a formula, written in another window) comes in.
  useEffect(() => {
    const made = view.current;
    if (!made || made.state.doc.toString() === value) return;
    made.dispatch({ changes: { from: 0, to: made.state.doc.length, insert: value } });
  }, [value]);
  useEffect(() => {
    const made = view.current;
    if (!made) return;
    const length = made.state.doc.length;
    const shown = issues.map((issue) => ({
      from: Math.min(issue.from, length),
      to: Math.min(Math.max(issue.to, issue.from + 1), length),
      severity: issue.severity,
      message: issue.message,
      ...(issue.suggestion && {
        actions: [
          {
            name: `Use ${issue.suggestion}`,
            apply: (inside: EditorView, from: number, to: number) =>
              inside.dispatch({ changes: { from, to, insert: issue.suggestion as string } }),
          },
        ],
      }),
    }));
    made.dispatch(setDiagnostics(made.state, shown));
  }, [issues]);
  return <div ref={host} className="formula rounded-md border border-line-input bg-raised" />;
}

/** Fields and functions whose name has what stands before the cursor. */
function complete(
  context: CompletionContext,
  names: readonly NamedField[],
  spelling: Spelling,
): CompletionResult | null {
  const word = context.matchBefore(/\$\$'[^']*|[\p{L}_][\p{L}\w.]*/u);
  if (!word && !context.explicit) return null;
  const from = word?.from ?? context.pos;
  const fields = names.map((one) => ({
    label: quoteName(one.name),
    detail: one.known.isInList ? `list of ${typeLabel(one.known.field)}` : typeLabel(one.known.field),
    info: `${one.known.field.label} of the ${one.known.from}`,
    boost: 2,
  }));
  const functions = formulaFunctions.map((fn) => ({
    label: fn.name,
    detail: fn.isExtra ? 'extra' : '',
    info: `${signatureOf(fn, spelling.separator)}. ${fn.summary}`,
    apply: (inside: EditorView, _: unknown, start: number, end: number) => {
      const isBare = fn.parameters.length === 0;
      inside.dispatch({
        changes: { from: start, to: end, insert: `${fn.name}()` },
        selection: { anchor: start + fn.name.length + (isBare ? 2 : 1) },
      });
    },
  }));
  return { from, options: [...fields, ...functions], validFor: /^(\$\$'[^']*|[\p{L}_][\p{L}\w.]*)$/u };
}

const marks = {
  function: Decoration.mark({ class: 'text-pine font-semibold' }),
  name: Decoration.mark({ class: 'underlined' }),
  text: Decoration.mark({ class: 'text-brass' }),
  number: Decoration.mark({ class: 'text-slate' }),
  operator: Decoration.mark({ class: 'text-ink-2' }),
};

function colours(spelling: () => Spelling) {
  const draw = (view: EditorView): DecorationSet => {
    const stored = toStored(view.state.doc.toString(), spelling());
    const all: Range<Decoration>[] = tokensOf(stored).map((token) => marks[token.kind].range(token.from, token.to));
    return Decoration.set(all, true);
  };
  return drawnBy(draw);
}

const look = EditorView.theme({
  '&': { fontSize: '13px', color: 'var(--ink-1)', maxHeight: '96px' },
  '.cm-content': { fontFamily: 'var(--font-mono)', caretColor: 'var(--ink-1)', padding: '5px 0' },
  '.cm-scroller': { overflow: 'auto', fontFamily: 'var(--font-mono)' },
  ...commonLook,
  '.cm-tooltip-autocomplete > ul': { ...commonLook['.cm-tooltip-autocomplete > ul'], fontFamily: 'var(--font-mono)' },
  '.cm-diagnostic': { padding: '5px 9px' },
  '.cm-diagnostic-error': { borderLeft: '3px solid var(--brick)' },
  '.cm-diagnosticAction': { background: 'var(--pine)', color: 'var(--pine-on)', borderRadius: '4px' },
});
