"use client";

import { PARAMETER_TYPES, type NamedFormula } from "@/core/formula/named.ts";
import type { ExampleResult } from "@/core/formula/try-named.ts";

/** A formula that is edited, and how it is changed. */
interface Edited {
  formula: NamedFormula;
  put: (more: Partial<NamedFormula>) => void;
}

/** The values that a formula takes, each with its type. */
export function Parameters({ formula, put }: Edited) {
  const change = (i: number, more: Partial<NamedFormula["parameters"][number]>): void =>
    put({ parameters: formula.parameters.map((q, j) => (j === i ? { ...q, ...more } : q)) });
  return (
    <div>
      {formula.parameters.map((p, i) => (
        <div key={i} className="mb-1 flex items-center gap-2">
          <input
            className="input input-sm raw !w-44"
            aria-label={`Name of parameter ${i + 1}`}
            value={p.name}
            maxLength={40}
            onChange={(e) => change(i, { name: e.target.value })}
          />
          <select
            className="select select-sm !w-32"
            aria-label={`Type of parameter ${i + 1}`}
            value={p.type}
            onChange={(e) => change(i, { type: e.target.value as typeof p.type })}
          >
            {PARAMETER_TYPES.map((t) => (
              <option key={t}>{t}</option>
            ))}
          </select>
          <button
            type="button"
            className="plain"
            onClick={() => put({ parameters: formula.parameters.filter((_, j) => j !== i) })}
          >
            take out
          </button>
        </div>
      ))}
      {formula.parameters.length < 8 && (
        <button
          type="button"
          className="plain"
          onClick={() =>
            put({
              parameters: [...formula.parameters, { name: `value${formula.parameters.length + 1}`, type: "text" }],
            })
          }
        >
          another value
        </button>
      )}
    </div>
  );
}

/** Calls of the formula, each with what it must give, and what it gives. */
export function Examples({ name, formula, tried, put }: Edited & { name: string; tried: readonly ExampleResult[] }) {
  const examples = formula.examples ?? [];
  const change = (i: number, more: Partial<(typeof examples)[number]>): void =>
    put({ examples: examples.map((e, j) => (j === i ? { ...e, ...more } : e)) });
  const add = (): void => {
    const values = formula.parameters.map((p) => (p.type === "text" ? "'a'" : "1"));
    put({ examples: [...examples, { formula: `${name || "unnamed"}(${values.join(", ")})`, gives: null }] });
  };
  return (
    <div>
      <table className="ledger">
        <tbody>
          {examples.map((e, i) => {
            const result = tried[i];
            return (
              <tr key={i}>
                <td className="w-[24rem] !p-0">
                  <input
                    className="input input-sm raw"
                    aria-label={`Example ${i + 1}`}
                    value={e.formula}
                    onChange={(x) => change(i, { formula: x.target.value })}
                  />
                </td>
                <td className="faint w-12 text-center">gives</td>
                <td className="w-36 !p-0">
                  <input
                    className="input input-sm raw"
                    aria-label={`What example ${i + 1} must give`}
                    defaultValue={JSON.stringify(e.gives)}
                    onBlur={(x) => change(i, { gives: valueOf(x.target.value) })}
                  />
                </td>
                <td
                  className={`max-w-48 truncate pl-2 ${result?.holds === false ? "held" : "loaded"}`}
                  title={result?.fault ?? ""}
                >
                  {result ? (result.holds ? "holds" : (result.fault ?? `gives ${JSON.stringify(result.gives)}`)) : ""}
                </td>
                <td className="text-right">
                  <button
                    type="button"
                    className="plain"
                    onClick={() => put({ examples: examples.filter((_, j) => j !== i) })}
                  >
                    take out
                  </button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <button type="button" className="plain mt-1" onClick={add}>
        another example
      </button>
    </div>
  );
}

/** What is typed as the value of an example: JSON, or else a text as it stands. */
function valueOf(text: string): string | number | boolean | null {
  try {
    const value: unknown = JSON.parse(text);
    return typeof value === "object" ? null : (value as string | number | boolean);
  } catch {
    return text;
  }
}
