import type { Finding } from '@causalis/contract';
import { findingText } from '@causalis/words';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { yaml } from '@codemirror/lang-yaml';
import { HighlightStyle, indentOnInput, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, lintKeymap, setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';

const look = EditorView.theme({
  '&': {
    backgroundColor: 'var(--sheet)',
    color: 'var(--ink)',
    border: '1px solid var(--line)',
    borderRadius: '4px',
    height: '100%',
    fontSize: '0.8125rem',
  },
  '&.cm-focused': { outline: '2px solid var(--thread)' },
  '.cm-content': { fontFamily: 'ui-monospace, "DejaVu Sans Mono", monospace', caretColor: 'var(--ink)' },
  '.cm-gutters': { backgroundColor: 'var(--sheet)', color: 'var(--soft)', border: 'none', borderRight: '1px solid var(--line)' },
  '.cm-scroller': { overflow: 'auto' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': { backgroundColor: 'var(--line)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-tooltip': { backgroundColor: 'var(--sheet)', color: 'var(--ink)', border: '1px solid var(--line)' },
});
const colours = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--thread)' },
  { tag: [tags.string, tags.content], color: 'var(--ink)' },
  { tag: tags.comment, color: 'var(--soft)' },
]);
const severities = { error: 'error', warning: 'warning', hint: 'info' } as const;

export interface DocumentEditor {
  text(): string;
  setText(text: string): void;
  /** Shows findings in place: a mark at the line, the sentence when one goes there. */
  show(findings: readonly Finding[]): void;
  goTo(line: number): void;
  destroy(): void;
}

/** An editor of a document in an element; `changed` hears of every change by hand. Tab leaves it, as elsewhere on the page. */
export function openEditor(parent: HTMLElement, label: string, changed: () => void): DocumentEditor {
  let quiet = false;
  const view = new EditorView({
    parent,
    state: EditorState.create({
      extensions: [
        lineNumbers(),
        history(),
        yaml(),
        indentOnInput(),
        syntaxHighlighting(colours),
        lintGutter(),
        look,
        keymap.of([...defaultKeymap, ...historyKeymap, ...lintKeymap]),
        EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' }),
        EditorView.updateListener.of(({ docChanged }) => {
          if (docChanged && !quiet) changed();
        }),
      ],
    }),
  });
  const lineAt = (number: number) => view.state.doc.line(Math.min(Math.max(1, number), view.state.doc.lines));
  return {
    text: () => view.state.doc.toString(),
    setText(text) {
      quiet = true;
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
      quiet = false;
    },
    show(findings) {
      const diagnostics = findings.flatMap((finding) => {
        if (!finding.place) return [];
        const line = lineAt(finding.place.line);
        const from = Math.min(line.from + finding.place.column - 1, line.to);
        const { what, mend } = findingText(finding);
        return [{ from, to: line.to, severity: severities[finding.level], message: `${what}. ${mend}` }];
      });
      view.dispatch(setDiagnostics(view.state, diagnostics));
    },
    goTo(number) {
      const line = lineAt(number);
      view.dispatch({ selection: { anchor: line.from }, effects: EditorView.scrollIntoView(line.from, { y: 'center' }) });
      view.focus();
    },
    destroy: () => view.destroy(),
  };
}
