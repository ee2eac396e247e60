import { defaultKeymap } from '@codemirror/commands';
import { markdown } from '@codemirror/lang-markdown';
import { EditorState, type Extension } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { yCollab, yUndoManagerKeymap } from 'y-codemirror.next';
import * as Y from 'yjs';

interface EditorOptions {
  readonly parent: HTMLElement;
  readonly text: Y.Text;
  readonly label: string;
  readonly hint: string;
  /** Whether Enter begins a new line; else it is done. */
  readonly isLong: boolean;
  readonly done: () => void;
}

const look = EditorView.theme({
  '&': { color: 'var(--text)', background: 'transparent', font: 'inherit' },
  '&.cm-focused': { outline: 'none' },
  '.cm-content': { padding: '2px 0', caretColor: 'var(--lit)', font: 'inherit' },
  '.cm-line': { padding: 0 },
  '.cm-scroller': { font: 'inherit', lineHeight: 'inherit' },
  '.cm-selectionBackground, &.cm-focused .cm-selectionBackground': { background: 'var(--lit-soft)' },
  '.cm-cursor': { borderLeftColor: 'var(--lit)' },
  '.cm-placeholder': { color: 'var(--text-3)' },
});

/** An editor of a shared text in a part of the page. @returns what takes it away again */
export function mountEditor({ parent, text, label, hint, isLong, done }: EditorOptions): () => void {
  const undoManager = new Y.UndoManager(text);
  const end = () => {
    done();
    return true;
  };
  const extensions: Extension[] = [
    look,
    keymap.of([
      { key: 'Escape', run: end },
      ...(isLong ? [] : [{ key: 'Enter', run: end }]),
      ...yUndoManagerKeymap,
      ...defaultKeymap,
    ]),
    EditorView.lineWrapping,
    EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'true' }),
    placeholder(hint),
    yCollab(text, null, { undoManager }),
    ...(isLong
      ? [markdown()]
      : [
          // A text of one line stays one, whatever is pasted.
          EditorState.transactionFilter.of((transaction) => (transaction.newDoc.lines > 1 ? [] : transaction)),
          EditorView.clipboardInputFilter.of((pasted) => pasted.replace(/\s*\n\s*/g, ' ')),
        ]),
  ];
  const view = new EditorView({ parent, state: EditorState.create({ doc: text.toString(), extensions }) });
  view.focus();
  view.dispatch({ selection: { anchor: view.state.doc.length } });
  return () => {
    view.destroy();
    undoManager.destroy();
  };
}
