"use client";

import { listCheckSets, saveCheckSet } from "@/routes/formulas.ts";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asSet, setsOf, withSet } from "@/core/plan/check-sets.ts";
import type { Plan } from "@/core/plan/document.ts";
import { listed } from "@/core/kernel/problem.ts";
import type { StoredCheckSet } from "@/store/check-sets.ts";
import { ask, problemOf, type ApiProblem } from "../../kit/api.ts";
import { ProblemNote } from "../../kit/problem-note.tsx";
import { counted } from "../../kit/words.ts";

/** Sets of checks that several feeds use: put one in, take a newer version over, keep this plan's checks as one. */
export function CheckSets({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const queries = useQueryClient();
  const { data } = useQuery({
    queryKey: ["check-sets"],
    queryFn: () => ask(listCheckSets),
  });
  const [said, setSaid] = useState("");
  const [name, setName] = useState<string | null>(null);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const sets = data?.sets ?? [];
  const used = setsOf(plan);
  const own = asSet(plan);
  const take = (set: StoredCheckSet): void => {
    const { plan: next, left } = withSet(plan, set);
    change(next);
    setSaid(
      `${counted(set.checks.length - left.length, "check")} of ${set.name}, version ${set.version}${left.length > 0 ? `; left: ${left.join("; ")}` : ""}.`,
    );
  };
  const keep = async (): Promise<void> => {
    const plain = name!.trim();
    const from = sets.find((s) => s.name === plain)?.version ?? 0;
    try {
      const { version } = await ask(saveCheckSet, {
        params: { name: plain },
        body: { checks: own, from, note: `from the plan of ${plan.feed}` },
      });
      await queries.invalidateQueries({ queryKey: ["check-sets"] });
      change(withSet(plan, { name: plain, version, checks: own }).plan);
      setSaid(`${counted(own.length, "check")} kept as ${plain}, version ${version}.`);
      setName(null);
      setProblem(null);
    } catch (error) {
      setProblem(problemOf(error));
    }
  };
  const others = sets.filter((s) => !used.has(s.name));
  return (
    <div className="mt-2 text-sm">
      {sets.map((s) => {
        const version = used.get(s.name);
        if (version === undefined) return null;
        const elsewhere = s.used.filter((u) => u.feed !== plan.feed).map((u) => u.feed);
        return (
          <p key={s.name} className="flex flex-wrap gap-x-3">
            <span>
              The set <b>{s.name}</b> is here at version {version}
              {elsewhere.length > 0 && `, and in ${listed(elsewhere)}`}.
            </span>
            {version < s.version && (
              <button type="button" className="plain" onClick={() => take(s)}>
                Take version {s.version} over
              </button>
            )}
          </p>
        );
      })}
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        {others.length > 0 && (
          <select
            className="select select-xs max-w-56"
            aria-label="Put in a set of checks"
            value=""
            onChange={(e) => {
              const set = sets.find((s) => s.name === e.target.value);
              if (set) take(set);
            }}
          >
            <option value="">Put in a set of checks</option>
            {others.map((s) => (
              <option key={s.name} value={s.name} title={s.checks.map((c) => c.name).join("; ")}>
                {s.name}: {counted(s.checks.length, "check")}
              </option>
            ))}
          </select>
        )}
        {own.length > 0 && name === null && (
          <button type="button" className="plain" onClick={() => setName([...used.keys()][0] ?? "")}>
            keep these checks as a set
          </button>
        )}
        {name !== null && (
          <form
            className="flex items-center gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              void keep();
            }}
          >
            <input
              autoFocus
              className="input input-xs"
              aria-label="Name of the set"
              placeholder="name, such as coordinates"
              value={name}
              maxLength={63}
              onChange={(e) => setName(e.target.value.toLowerCase().replace(/[^a-z0-9_]/g, "_"))}
              onKeyDown={(e) => e.key === "Escape" && setName(null)}
            />
            <button type="submit" className="btn btn-line btn-xs" disabled={!/^[a-z]/.test(name)}>
              {sets.some((s) => s.name === name) ? "Keep as its next version" : "Keep"}
            </button>
          </form>
        )}
        {said && (
          <span className="faint" role="status">
            {said}
          </span>
        )}
      </div>
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}
