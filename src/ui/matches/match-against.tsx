"use client";

import { useQuery } from "@tanstack/react-query";
import { mapColumns } from "@/core/map/columns.ts";
import { MATCH_AGAINST, type MatchSection } from "@/core/match/schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import { REFERENCES_QUERY } from "../references/references-query.ts";
import { Link } from "../kit/link.tsx";
import { counted } from "../kit/words.ts";

type Against = (typeof MATCH_AGAINST)[number];

const WORDS: Record<Against, string> = {
  delivery: "the others of their delivery",
  target: "the rows of the target",
  list: "the entries of a reference list",
};

/** Those of the compared fields that a list has a column of by its name. */
function metByName(columns: readonly string[], plan: Plan, compared: readonly string[]): string[] {
  const { missing } = mapColumns(columns, plan.contract.fields);
  return compared.filter((name) => !missing.includes(name));
}

interface MatchAgainstProps {
  plan: Plan;
  match: MatchSection;
  set: (match: MatchSection) => void;
}

/** What records are compared with, in any mixture; of a reference list, which, and which of its columns is which field. */
export function MatchAgainst({ plan, match, set }: MatchAgainstProps) {
  const { data } = useQuery(REFERENCES_QUERY);
  const lists = data?.references ?? [];
  const compared = [...new Set(match.fields.flatMap((f) => f.in))];
  const fit = (columns: readonly string[]): number => metByName(columns, plan, compared).length;
  const put = (a: Against, on: boolean): void => {
    const against = MATCH_AGAINST.filter((x) => (x === a ? on : match.against.includes(x)));
    const { list, ...rest } = match;
    if (a !== "list") return set({ ...match, against });
    if (!on) return set({ ...rest, against });
    const best = [...lists].sort((x, y) => fit(y.shape.columns) - fit(x.shape.columns))[0];
    if (best) set({ ...rest, against, list: list ?? { name: best.name } });
  };
  return (
    <>
      <fieldset className="flex flex-wrap items-center gap-4">
        <legend className="faint text-sm font-bold">Records are compared with</legend>
        {MATCH_AGAINST.map((a) => (
          <label key={a} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={match.against.includes(a)}
              disabled={
                (match.against.length === 1 && match.against.includes(a)) ||
                (a === "list" && lists.length === 0 && !match.against.includes(a))
              }
              onChange={(e) => put(a, e.target.checked)}
            />
            {WORDS[a]}
          </label>
        ))}
        {data && lists.length === 0 && (
          <Link className="plain text-sm" href="/references">
            There is no list yet
          </Link>
        )}
      </fieldset>
      {match.list && match.against.includes("list") && (
        <KnownList plan={plan} match={match} list={match.list} set={set} lists={lists} compared={compared} />
      )}
    </>
  );
}

function KnownList({
  plan,
  match,
  list,
  set,
  lists,
  compared,
}: MatchAgainstProps & {
  list: NonNullable<MatchSection["list"]>;
  lists: readonly { name: string; title: string; shape: { columns: readonly string[] } }[];
  compared: readonly string[];
}) {
  const { fields } = plan.contract;
  const own = lists.find((l) => l.name === list.name);
  const columns = own?.shape.columns ?? [];
  const { column } = mapColumns(
    columns.map((c) => list.columns?.[c] ?? c),
    fields,
  );
  // What a column of the same name is can be changed and not be taken away.
  const byName = metByName(columns, plan, compared);
  const columnOf = (field: string): string => columns[column[fields.findIndex((f) => f.name === field)] ?? -1] ?? "";
  const choose = (field: string, chosen: string): void => {
    const next = Object.fromEntries(Object.entries(list.columns ?? {}).filter(([c, f]) => f !== field && c !== chosen));
    if (chosen !== "") next[chosen] = field;
    set({ ...match, list: { name: list.name, ...(Object.keys(next).length > 0 ? { columns: next } : {}) } });
  };
  const lacking = compared.filter((name) => columnOf(name) === "");
  return (
    <div className="mt-2 border-l-4 border-[var(--slate)] pl-3 text-sm">
      <p className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <label className="flex items-center gap-2 whitespace-nowrap">
          the list
          <select
            className="select select-sm max-w-56"
            aria-label="The reference list that records are compared with"
            value={list.name}
            onChange={(e) => set({ ...match, list: { name: e.target.value } })}
          >
            {!own && <option value={list.name}>{list.name}, which is not there</option>}
            {lists.map((l) => (
              <option key={l.name} value={l.name}>
                {l.title}
              </option>
            ))}
          </select>
        </label>
        {own &&
          compared.map((name) => (
            <label key={name} className="flex items-center gap-2 whitespace-nowrap">
              <b>{name}</b> is
              <select
                className="select select-xs max-w-44"
                aria-label={`The column of the list that is ${name}`}
                value={columnOf(name)}
                onChange={(e) => choose(name, e.target.value)}
              >
                {!byName.includes(name) && <option value="">no column</option>}
                {columns.map((c) => (
                  <option key={c} value={c}>
                    {c}
                  </option>
                ))}
              </select>
            </label>
          ))}
      </p>
      {own && lacking.length === compared.length ? (
        <p className="held mt-1">The list has no column of what is compared.</p>
      ) : (
        <p className="faint mt-1">
          An entry is never changed: it gives its values to what is kept, by the rules below, and holds together what is
          the same as it.
          {lacking.length > 0 && ` Of ${counted(lacking.length, "field")} it says nothing.`}
        </p>
      )}
    </div>
  );
}
