"use client";

import { valuesOfDelivery, valuesOfField } from "@/routes/feeds.ts";
import { useQuery } from "@tanstack/react-query";
import { useLayoutEffect, useMemo, useRef, useState } from "react";
import { findSpellings, undecided } from "@/core/cleanse/spellings.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Step } from "@/core/plan/sections.ts";
import { ask, problemOf } from "../../kit/api.ts";
import { ProblemNote } from "../../kit/problem-note.tsx";
import { counted, grouped } from "../../kit/words.ts";

/**
 * Values of a field that are likely spellings of one another: the proposed one with its variants
 * beneath, decided by keys. What is decided goes into the step's table.
 */
export function Spellings({ plan, step, set }: { plan: Plan; step: Step; set: (step: Step) => void }) {
  const [open, setOpen] = useState(false);
  const field = step.in === "*" ? undefined : step.in[0];
  if (field === undefined) return <p className="faint text-xs">Choose one field to look for spellings in.</p>;
  if (!open) {
    return (
      <button type="button" className="plain" onClick={() => setOpen(true)}>
        Find spellings of one value in {field}
      </button>
    );
  }
  return <Groups key={field} plan={plan} field={field} step={step} set={set} close={() => setOpen(false)} />;
}

function Groups({
  plan,
  field,
  step,
  set,
  close,
}: {
  plan: Plan;
  field: string;
  step: Step;
  set: (step: Step) => void;
  close: () => void;
}) {
  const target = useQuery({
    queryKey: ["values", plan.feed, field],
    queryFn: () => ask(valuesOfField, { params: { feed: plan.feed }, query: { field } }),
  });
  const [chosen, setChosen] = useState<"target" | "delivery" | null>(null);
  // Before the first load there is nothing in the target; what has come is there all the same.
  const where = chosen ?? (target.data?.values.length === 0 ? "delivery" : "target");
  const steps = Math.max(0, plan.cleanse.indexOf(step));
  const delivered = useQuery({
    queryKey: ["values that came", plan.feed, field, steps, plan.cleanse.slice(0, steps), plan.read],
    queryFn: () => ask(valuesOfDelivery, { params: { feed: plan.feed }, body: { document: plan, field, steps } }),
    enabled: where === "delivery",
    retry: false,
  });
  const { data, error } = where === "target" ? target : delivered;
  const table = step["to"] as Record<string, string[]>;
  const [passed, setPassed] = useState<ReadonlySet<string>>(new Set());
  const body = useRef<HTMLTableSectionElement>(null);
  const groups = useMemo(() => (data ? findSpellings(data.values) : []), [data]);
  const left = undecided(groups, table, passed);
  const lines = left.flatMap((g) => g.variants.map((v) => ({ proposed: g.proposed, v })));

  const take = (to: string, values: readonly string[]): void =>
    set({ ...step, to: { ...table, [to]: [...(table[to] ?? []), ...values] } });
  const focusLine = (i: number): void =>
    body.current?.querySelectorAll<HTMLElement>("tr[tabindex]")[Math.max(0, i)]?.focus();
  // A decided line goes, and the next one is focused as the list without it is shown: any later, and
  // a key already pressed would decide another line than the one it was meant for.
  const next = useRef<number | null>(null);
  useLayoutEffect(() => {
    if (next.current !== null) focusLine(next.current);
    next.current = null;
  }, [lines.length]);
  const onKey = (event: React.KeyboardEvent, i: number): void => {
    const line = lines[i]!;
    const acts: Record<string, () => void> = {
      ArrowDown: () => focusLine(i + 1),
      ArrowUp: () => focusLine(i - 1),
      Enter: () => take(line.proposed.value, [line.v.value]),
      Backspace: () => setPassed(new Set([...passed, line.v.value])),
      // The variant is the proper one, and what was proposed becomes it.
      s: () => take(line.v.value, [line.proposed.value]),
    };
    const act = acts[event.key];
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key !== "ArrowDown" && event.key !== "ArrowUp") next.current = Math.min(i, lines.length - 2);
    act();
  };
  return (
    <section className="mt-1 border-l-4 border-[var(--ochre)] bg-[var(--paper-bright)] p-2" aria-label="Spellings">
      <p className="flex items-baseline justify-between gap-3">
        <b>
          {!data
            ? `Looking at the ${where === "target" ? "target" : "latest delivery"}…`
            : lines.length === 0
              ? `No spellings are left among ${counted(data.values.length, "value")} of ${field}`
              : `${counted(lines.length, "spelling")} of ${counted(left.length, "value")}`}
          {data && !data.all && ", the most frequent 20,000"}
        </b>
        <span className="flex items-baseline gap-3">
          <select
            className="select select-xs w-40"
            aria-label="Where values are looked for"
            value={where}
            onChange={(e) => setChosen(e.target.value as "target" | "delivery")}
          >
            <option value="delivery">in the latest delivery</option>
            <option value="target">in the target</option>
          </select>
          <button type="button" className="plain" onClick={close}>
            Close
          </button>
        </span>
      </p>
      {error && <ProblemNote problem={problemOf(error)} />}
      {lines.length > 0 && (
        <>
          <p className="faint text-xs">
            <kbd>Enter</kbd> it is that value <kbd>Backspace</kbd> it is not <kbd>s</kbd> this is the proper spelling
          </p>
          <div className="max-h-80 overflow-auto">
            <table className="ledger tight w-full">
              <tbody ref={body}>
                {left.map((g) => (
                  <Group
                    key={g.proposed.value}
                    group={g}
                    first={lines.findIndex((l) => l.proposed === g.proposed)}
                    onKey={onKey}
                    take={take}
                  />
                ))}
              </tbody>
            </table>
          </div>
        </>
      )}
    </section>
  );
}

function Group({
  group,
  first,
  onKey,
  take,
}: {
  group: ReturnType<typeof findSpellings>[number];
  first: number;
  onKey: (event: React.KeyboardEvent, line: number) => void;
  take: (to: string, values: readonly string[]) => void;
}) {
  return (
    <>
      <tr>
        <td className="font-semibold">{group.proposed.value}</td>
        <td className="n">{grouped(group.proposed.count)}</td>
        <td className="text-right">
          <button
            type="button"
            className="plain"
            onClick={() =>
              take(
                group.proposed.value,
                group.variants.map((v) => v.value),
              )
            }
          >
            all {group.variants.length}
          </button>
        </td>
      </tr>
      {group.variants.map((v, i) => (
        <tr
          key={v.value}
          tabIndex={0}
          aria-label={`${v.value}, likely ${group.proposed.value}`}
          onKeyDown={(e) => onKey(e, first + i)}
        >
          <td className="pl-5 changed">{v.value}</td>
          <td className="n">{grouped(v.count)}</td>
          <td className="faint text-right">
            {v.likeness === 1 ? "the same letters" : `${Math.round(v.likeness * 100)} %`}
          </td>
        </tr>
      ))}
    </>
  );
}
