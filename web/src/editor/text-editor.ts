import { type DecorationSet, type EditorView, ViewPlugin, type ViewUpdate } from '@codemirror/view';

// What the editors for formulas and for letters have in common.

/** Draws over a text what `draw` says, anew with each change of it. */
export const drawnBy = (draw: (view: EditorView) => DecorationSet) =>
  ViewPlugin.fromClass(
    class {
      decorations: DecorationSet;
      constructor(view: EditorView) {
        this.decorations = draw(view);
      }
      update(update: ViewUpdate): void {
        if (update.docChanged) this.decorations = draw(update.view);
      }
    },
    { decorations: (plugin) => plugin.decorations },
  );

/** How an editor looks around its text, whatever it is set in. */
export const commonLook = {
  '&.cm-focused': { outline: '2px solid var(--pine)', outlineOffset: '1px', borderRadius: '6px' },
  '.cm-cursor': { borderLeftColor: 'var(--ink-1)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': { background: 'var(--pine-tint) !important' },
  '.cm-tooltip': {
    background: 'var(--raised)',
    color: 'var(--ink-1)',
    border: '1px solid var(--line-1)',
    borderRadius: '6px',
    fontFamily: 'var(--font-sans)',
  },
  '.cm-tooltip-autocomplete > ul': { maxHeight: '180px' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': { background: 'var(--pine-tint)', color: 'var(--ink-1)' },
  '.cm-completionDetail': { color: 'var(--ink-2)', fontStyle: 'normal', marginLeft: '10px' },
  '.cm-completionInfo': { maxWidth: '320px', padding: '6px 9px' },
};
