// An editor of SQL that colours it and completes names. Loaded only where it is used.
import { acceptCompletion, autocompletion, startCompletion } from '@codemirror/autocomplete';
import { PostgreSQL, sql as language } from '@codemirror/lang-sql';
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { Compartment, Prec } from '@codemirror/state';
import { EditorView, keymap } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { minimalSetup } from 'codemirror';

const inks = HighlightStyle.define([
    { tag: tags.keyword, color: 'var(--deep)', fontWeight: '700' },
    { tag: [tags.string, tags.special(tags.string)], color: 'var(--kelp)' },
    { tag: [tags.number, tags.bool, tags.null], color: 'var(--lamp)' },
    { tag: tags.comment, color: 'var(--faded)', fontStyle: 'italic' },
]);

export const editor = (parent, doc, { onChange, onRun }) => {
    const names = new Compartment();
    const view = new EditorView({
        doc,
        parent,
        extensions: [
            Prec.highest(keymap.of([{ key: 'Mod-Enter', run: () => onRun() ?? true }, { key: 'Ctrl-Space', run: startCompletion }, { key: 'Tab', run: acceptCompletion }])),
            minimalSetup, autocompletion(), EditorView.lineWrapping, syntaxHighlighting(inks), names.of([]),
            EditorView.contentAttributes.of({ 'aria-label': 'Statement', 'aria-multiline': 'true', spellcheck: 'false' }),
            EditorView.updateListener.of((u) => u.docChanged && onChange(u.state.doc.toString())),
        ],
    });
    return {
        // Names that can be completed: columns by table.
        know: (schema) => view.dispatch({ effects: names.reconfigure(language({ dialect: PostgreSQL, schema, upperCaseKeywords: true })) }),
        insert: (text) => {
            view.dispatch(view.state.replaceSelection(text));
            view.focus();
        },
    };
};
