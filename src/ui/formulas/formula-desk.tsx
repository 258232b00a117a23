"use client";

import { Link } from "../kit/link.tsx";
import { useAct } from "../kit/use-act.ts";
import { formulaEffect, saveFormula, type Reached } from "@/routes/formulas.ts";
import { useRouter } from "next/navigation";
import { useMemo, useState } from "react";
import type { NamedFormula, NamedFormulas } from "@/core/formula/named.ts";
import { tryNamed } from "@/core/formula/try-named.ts";
import { TYPE_WORDS } from "@/core/formula/value.ts";
import type { SieveError } from "@/core/kernel/problem.ts";
import type { StoredFormula } from "@/store/formulas.ts";
import { ask } from "../kit/api.ts";
import { FormulaEditor } from "./formula-editor.tsx";
import { Examples, Parameters } from "./formula-parts.tsx";
import { ReachedPlans } from "./reached-plans.tsx";
import { NoteForm } from "../kit/note-form.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { counted, isoDay } from "../kit/words.ts";

const EMPTY: NamedFormula = {
  parameters: [{ name: "value", type: "text" }],
  body: "value",
  examples: [],
};

/** Formulas that are written once and used by name: what each takes, is, and must give, and what a change of it reaches. */
export function FormulaDesk({ formulas, name }: { formulas: StoredFormula[]; name: string | null }) {
  const stored = formulas.find((f) => f.name === name) ?? null;
  return (
    <>
      <p className="faint">
        <Link href="/references">References</Link> / named formulas
      </p>
      <h1>{counted(formulas.length, "named formula")}</h1>
      <div className="mt-3 grid grid-cols-1 gap-6 lg:grid-cols-[16rem_minmax(0,1fr)]">
        <nav aria-label="Named formulas">
          {formulas.length === 0 && (
            <p className="faint">
              A formula that is used in many places is written once here, with examples that must hold, and used by its
              name in checks and steps.
            </p>
          )}
          <ul>
            {formulas.map((f) => (
              <li key={f.name}>
                <Link
                  href={`/formulas?name=${f.name}`}
                  aria-current={f.name === name ? "true" : undefined}
                  className={`block border-b border-l-4 border-b-[var(--rule)] py-1.5 pl-2 ${f.name === name ? "border-l-[var(--pine)] bg-[var(--shade)]" : "border-l-transparent"}`}
                >
                  <b className="raw">{f.name}</b>
                  <span className="faint block text-xs">{f.document.about ?? f.document.body}</span>
                </Link>
              </li>
            ))}
          </ul>
          <Link className="plain mt-3 inline-block" href="/formulas">
            A new formula
          </Link>
        </nav>
        <OneFormula key={`${name}:${stored?.version}`} stored={stored} formulas={formulas} />
      </div>
    </>
  );
}

/** What a formula gives, and whether its examples hold; or what is wrong with it. */
function triedOf(name: string, formula: NamedFormula, others: NamedFormulas) {
  try {
    return { ...tryNamed(name === "" ? "unnamed" : name, formula, others), fault: null };
  } catch (error) {
    const { message, hint } = error as SieveError;
    return { type: null, examples: [], fault: `${message} ${hint}` };
  }
}

function OneFormula({ stored, formulas }: { stored: StoredFormula | null; formulas: StoredFormula[] }) {
  const router = useRouter();
  const [name, setName] = useState(stored?.name ?? "");
  const [formula, setFormula] = useState<NamedFormula>(stored?.document ?? EMPTY);
  const [reach, setReach] = useState<{ of: NamedFormula; list: Reached[] } | null>(null);
  const [taken, setTaken] = useState<ReadonlySet<string>>(new Set());
  const { busy, problem, act } = useAct();
  const others = useMemo(
    (): NamedFormulas => Object.fromEntries(formulas.filter((f) => f.name !== name).map((f) => [f.name, f.document])),
    [formulas, name],
  );
  const tried = useMemo(() => triedOf(name, formula, others), [name, formula, others]);
  const put = (more: Partial<NamedFormula>): void => setFormula((have) => ({ ...have, ...more }));
  const broken = tried.examples.some((e) => !e.holds);
  const changed = stored === null || JSON.stringify(stored.document) !== JSON.stringify(formula);

  const see = async (): Promise<void> => {
    await act(async () => {
      const { reach: list } = await ask(formulaEffect, { params: { name: name! }, body: { formula } });
      setReach({ of: formula, list });
      setTaken(new Set(list.map((r) => r.feed)));
    });
  };

  const save = async (note: string): Promise<void> => {
    await act(async () => {
      await ask(saveFormula, {
        params: { name: name! },
        body: { formula, from: stored?.version ?? 0, note, feeds: [...taken] },
      });
      router.push(`/formulas?name=${name}`);
      router.refresh();
    });
  };

  return (
    <section className="min-w-0 max-w-4xl">
      <div className="grid grid-cols-[7rem_minmax(0,1fr)] items-start gap-x-4 gap-y-3">
        <label htmlFor="formula-name" className="faint pt-1">
          name
        </label>
        <input
          id="formula-name"
          className="input input-sm raw !w-72"
          value={name}
          maxLength={40}
          disabled={stored !== null}
          placeholder="such as properName"
          onChange={(e) => setName(e.target.value.trim())}
        />
        <span className="faint pt-1">takes</span>
        <Parameters formula={formula} put={put} />
        <span className="faint pt-1">is</span>
        <div>
          <FormulaEditor
            label="The formula"
            value={formula.body}
            scope={{ fields: formula.parameters, named: others }}
            onChange={(body) => put({ body })}
          />
          <p className={`text-sm ${tried.fault ? "held" : "faint"}`} role="status">
            {tried.fault ?? `gives ${TYPE_WORDS[tried.type!]}`}
          </p>
        </div>
        <label htmlFor="formula-about" className="faint pt-1">
          about
        </label>
        <input
          id="formula-about"
          className="input input-sm"
          value={formula.about ?? ""}
          maxLength={300}
          onChange={(e) => {
            const { about: _, ...rest } = formula;
            setFormula(e.target.value === "" ? rest : { ...rest, about: e.target.value });
          }}
        />
        <span className="faint pt-1">examples</span>
        <Examples name={name} formula={formula} tried={tried.examples} put={put} />
      </div>
      {problem && <ProblemNote problem={problem} />}
      {stored && (
        <div className="mt-4">
          <button
            type="button"
            className="btn btn-line"
            disabled={busy || tried.fault !== null || !changed}
            onClick={() => void see()}
          >
            See what this changes
          </button>
          {reach && <ReachedPlans list={reach.list} before={reach.of !== formula} taken={taken} take={setTaken} />}
        </div>
      )}
      <NoteForm
        // Emptied once it is saved.
        key={stored?.version ?? 0}
        tone="plain"
        label={<span className="faint text-sm">{stored ? "What changed and why" : "What it is for"}</span>}
        submit={`Save version ${(stored?.version ?? 0) + 1}${taken.size > 0 ? ` into ${counted(taken.size, "plan")}` : ""}`}
        ready={!busy && changed && name !== "" && tried.fault === null && !broken}
        save={save}
      />
      {stored && (
        <p className="faint mt-2 text-sm">
          Version {stored.version}, {isoDay(stored.madeAt)} by {stored.madeBy || "nobody named"}: {stored.note}. Plans
          keep the version that they were saved with until they take a newer one over.
        </p>
      )}
    </section>
  );
}
