"use client";

import { autocompletion, completionKeymap, type Completion, type CompletionContext } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { bracketMatching } from "@codemirror/language";
import { linter, type Diagnostic } from "@codemirror/lint";
import { EditorState, RangeSetBuilder } from "@codemirror/state";
import {
  Decoration,
  EditorView,
  ViewPlugin,
  keymap,
  placeholder as placeholderText,
  type DecorationSet,
  type ViewUpdate,
} from "@codemirror/view";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { compileFormula } from "@/core/formula/compile.ts";
import type { Scope } from "@/core/formula/scope.ts";
import { FUNCTIONS } from "@/core/formula/functions.ts";
import type { FormulaFunction } from "@/core/formula/define.ts";
import { listsIn } from "@/core/formula/lists.ts";
import { tokens } from "@/core/formula/syntax.ts";
import { TYPE_WORDS, valueTypeOf } from "@/core/formula/value.ts";
import type { SieveError } from "@/core/kernel/problem.ts";
import type { ReferenceInfo } from "@/store/references.ts";
import { REFERENCES_QUERY } from "../references/references-query.ts";

const CLASSES: Partial<Record<ReturnType<typeof tokens>[number]["kind"], string>> = {
  text: "f-text",
  number: "f-number",
  word: "f-word",
  operator: "f-mark",
  unknown: "f-unknown",
};

/** Colours by the formula's own tokens; names of functions apart from those of fields. */
const colours = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet;
    constructor(view: EditorView) {
      this.decorations = this.of(view);
    }
    update(update: ViewUpdate): void {
      if (update.docChanged) this.decorations = this.of(update.view);
    }
    private of(view: EditorView): DecorationSet {
      const builder = new RangeSetBuilder<Decoration>();
      const list = tokens(view.state.doc.toString());
      list.forEach((t, i) => {
        const name = t.kind === "name" ? (list[i + 1]?.text === "(" ? "f-function" : "f-field") : CLASSES[t.kind];
        if (name) builder.add(t.from, t.to, Decoration.mark({ class: name }));
      });
      return builder.finish();
    }
  },
  { decorations: (plugin) => plugin.decorations },
);

export function signature(f: FormulaFunction): string {
  const args = f.params.join(", ");
  return f.method ? `value.${f.name}(${args})` : `${f.name}(${args})`;
}

/** The function whose brackets the place is in, or null. */
function functionAt(source: string, at: number): FormulaFunction | null {
  const open: (string | null)[] = [];
  const list = tokens(source).filter((t) => t.to <= at);
  list.forEach((t, i) => {
    if (t.kind === "open") open.push(list[i - 1]?.kind === "name" ? list[i - 1]!.text : null);
    else if (t.kind === "close") open.pop();
  });
  const name = open.findLast((n) => n !== null);
  return FUNCTIONS.find((f) => f.name === name) ?? null;
}

/** The name of a list that is being written, and the column of one. */
const LIST_AT = /\b(?:inList|fromList)\(\s*['"]([a-z0-9_]*)$/;
const COLUMN_AT = /\bfromList\(\s*['"]([a-z0-9_]+)['"]\s*,(?:[^()'"]|\([^()]*\))*,\s*['"]([^'"]*)$/;

interface Completed {
  from: number;
  options: Completion[];
}

/** What can stand between the quotes at a place: the name of a list or of its column; null where there are none. */
async function inQuotes(before: string, at: number, lists: ListsKnown): Promise<Completed | null> {
  const list = LIST_AT.exec(before);
  if (list) {
    const options = (await lists()).map((l) => ({ label: l.name, detail: l.title, type: "variable" }));
    return { from: at - list[1]!.length, options };
  }
  const column = COLUMN_AT.exec(before);
  if (!column) return null;
  const shape = (await lists()).find((l) => l.name === column[1])?.shape;
  const options = (shape?.columns ?? []).map((name) => ({ label: name, type: "variable" }));
  return { from: at - column[2]!.length, options };
}

/** Reference lists that there are, read once for an editor. */
type ListsKnown = () => Promise<readonly Pick<ReferenceInfo, "name" | "title" | "shape">[]>;

function completions(
  scope: Scope,
  lists: ListsKnown,
): (context: CompletionContext) => Completed | null | Promise<Completed | null> {
  return (context) => {
    const before = context.state.sliceDoc(0, context.pos);
    if (LIST_AT.test(before) || COLUMN_AT.test(before)) return inQuotes(before, context.pos, lists);
    const word = context.matchBefore(/[A-Za-z_][A-Za-z0-9_]*/);
    const from = word?.from ?? context.pos;
    const method = context.state.sliceDoc(from - 1, from) === ".";
    if (!word && !method && !context.explicit) return null;
    const called = new Map(FUNCTIONS.filter((f) => f.method === method).map((f) => [f.name, f]));
    const functions = [...called.values()].map((f): Completion => ({
      label: f.name,
      detail: signature(f).slice(f.name.length + (f.method ? 6 : 0)),
      type: "function",
      info: `${f.about} ${f.examples[0] ? `${f.examples[0][0]} is ${JSON.stringify(f.examples[0][1])}` : ""}`,
      apply: `${f.name}(${f.params.length === 0 ? ")" : ""}`,
    }));
    if (method) return { from, options: functions };
    for (const [name, f] of Object.entries(scope.named ?? {})) {
      functions.unshift({
        label: name,
        detail: `(${f.parameters.map((p) => p.name).join(", ")})`,
        type: "function",
        info: f.about ?? f.body,
        apply: `${name}(${f.parameters.length === 0 ? ")" : ""}`,
        boost: 1,
      });
    }
    const fields = scope.fields.map((f): Completion => ({
      label: f.name,
      detail: TYPE_WORDS[valueTypeOf(f)],
      type: "variable",
      boost: 2,
    }));
    if (scope.it !== undefined) fields.unshift({ label: "it", detail: "the cell itself", type: "variable", boost: 3 });
    return { from, options: [...fields, ...functions] };
  };
}

/** What lets the editor's own styles into the page: browsers give it to scripts alone, not as text. */
function nonceOfPage(): string {
  return document.querySelector<HTMLScriptElement>("script[nonce]")?.nonce ?? "";
}

/**
 * A formula being written: colours, completion, the signature of the function at hand, and faults at
 * their place. What is given up is the text as it stands; whether it can be used is for the caller.
 */
export function FormulaEditor({
  label,
  value,
  scope,
  placeholder = "",
  onChange,
}: {
  label: string;
  value: string;
  scope: Scope;
  placeholder?: string;
  onChange: (source: string) => void;
}) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const change = useRef(onChange);
  const [help, setHelp] = useState<FormulaFunction | null>(null);
  const client = useQueryClient();
  const names = `${scope.fields.map((f) => `${f.name} ${f.type}`).join()} ${JSON.stringify(scope.named ?? {})}`;
  useEffect(() => {
    change.current = onChange;
  });
  useEffect(() => {
    let known: ReturnType<ListsKnown> | null = null;
    const lists: ListsKnown = () =>
      (known ??= client
        .fetchQuery({
          ...REFERENCES_QUERY,
          staleTime: 30_000,
        })
        .then((found) => found.references));
    const check = async (v: EditorView): Promise<Diagnostic[]> => {
      const source = v.state.doc.toString();
      if (source.trim() === "") return [];
      try {
        compileFormula(source, scope);
        const asked = listsIn(source);
        if (asked.length === 0) return [];
        const there = new Set((await lists()).map((l) => l.name));
        return asked.flatMap((name): Diagnostic[] => {
          if (there.has(name)) return [];
          const from = source.indexOf(name);
          return [
            { from, to: from + name.length, severity: "warning", message: `There is no reference list ${name}.` },
          ];
        });
      } catch (error) {
        const { facts, message } = error as SieveError;
        const from = Number(facts["from"] ?? 0);
        return [{ from, to: Math.max(from, Number(facts["to"] ?? from + 1)), severity: "error", message }];
      }
    };
    const made = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: value,
        extensions: [
          EditorView.cspNonce.of(nonceOfPage()),
          history(),
          keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
          colours,
          bracketMatching(),
          autocompletion({ override: [completions(scope, lists)], icons: false }),
          linter(check, { delay: 150 }),
          placeholderText(placeholder),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ "aria-label": label }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) change.current(update.state.doc.toString());
            if (update.docChanged || update.selectionSet) {
              setHelp(functionAt(update.state.doc.toString(), update.state.selection.main.head));
            }
          }),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
    // The editor keeps its own text; it is made anew only for other fields.
    // oxlint-disable-next-line react/exhaustive-deps
  }, [names, label, scope.it]);
  useEffect(() => {
    const v = view.current;
    if (!v || v.state.doc.toString() === value || v.hasFocus) return;
    v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: value } });
  }, [value]);
  return (
    <div>
      <div ref={host} className="formula" />
      {help && (
        <p className="faint mt-0.5 text-xs">
          <span className="raw">{signature(help)}</span>: {help.about}
        </p>
      )}
    </div>
  );
}
