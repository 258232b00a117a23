"use client";

import { useRef, useState } from "react";
import {
  CONTRACT_STANDARDS,
  standardTitle,
  giveContract,
  takeContract,
  withContract,
  type ContractStandard,
} from "@/core/interop/contract.ts";
import type { Plan } from "@/core/plan/document.ts";
import { problemParts } from "@/core/kernel/problem.ts";
import { problemFrom } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { counted } from "../kit/words.ts";

/** Gives the contract out in an open standard, and brings one in; what a standard can't say is listed. */
export function ContractExchange({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const picker = useRef<HTMLInputElement>(null);
  const [standard, setStandard] = useState<ContractStandard>("json-schema");
  const [said, setSaid] = useState<{ what: string; lost: readonly string[] } | null>(null);
  const [problem, setProblem] = useState<ReturnType<typeof problemParts> | null>(null);

  const give = (): void => {
    const { document: contract, lost } = giveContract(plan, standard);
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([`${JSON.stringify(contract, null, 2)}\n`], { type: "application/json" }));
    link.download = `${plan.feed}.${standard}.json`;
    link.click();
    URL.revokeObjectURL(link.href);
    setProblem(null);
    setSaid({ what: `Given out as ${standardTitle(standard)}`, lost });
  };

  const take = async (file: File): Promise<void> => {
    setSaid(null);
    setProblem(null);
    try {
      let value: unknown;
      try {
        value = JSON.parse(await file.text());
      } catch {
        value = null;
      }
      const taken = takeContract(value);
      change(withContract(plan, taken));
      setSaid({
        what: `${counted(taken.fields.length, "field")} brought in from ${standardTitle(taken.standard)}`,
        lost: taken.lost,
      });
    } catch (error) {
      setProblem(problemParts(error));
    }
  };

  return (
    <div className="mt-4 max-w-3xl">
      <div className="flex flex-wrap items-center gap-3">
        <label htmlFor="contract-standard">the contract as</label>
        <select
          id="contract-standard"
          className="select select-sm max-w-44"
          value={standard}
          onChange={(e) => setStandard(e.target.value as ContractStandard)}
        >
          {CONTRACT_STANDARDS.map((s) => (
            <option key={s} value={s}>
              {standardTitle(s)}
            </option>
          ))}
        </select>
        <button type="button" className="btn btn-line btn-sm" onClick={give}>
          Give out
        </button>
        <button type="button" className="btn btn-line btn-sm" onClick={() => picker.current?.click()}>
          Bring one in…
        </button>
        <input
          ref={picker}
          type="file"
          accept="application/json,.json"
          className="sr-only"
          aria-label="A contract to bring in"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) void take(file);
            e.target.value = "";
          }}
        />
      </div>
      {problem && <ProblemNote problem={problemFrom(problem)} />}
      {said && (
        <div role="status" className="mt-2">
          <b>{said.what}</b>
          {said.lost.length === 0 ? ", all of it" : `; ${counted(said.lost.length, "thing")} that could not be said:`}
          <ul className="faint ml-4 list-disc">
            {said.lost.slice(0, 30).map((l) => (
              <li key={l}>{l}</li>
            ))}
          </ul>
        </div>
      )}
    </div>
  );
}
