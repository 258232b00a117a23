"use client";

/** What some columns of a list are for, by their names. */
export interface Parts {
  readonly key: string;
  readonly accepted: string;
  readonly since: string;
  readonly until: string;
}
export const NO_PARTS: Parts = { key: "", accepted: "", since: "", until: "" };

/** Those that were said. */
export function partsSaid(parts: Parts): Partial<Parts> {
  const said = Object.entries(parts).map(([part, column]) => [part, (column as string).trim()] as const);
  return Object.fromEntries(said.filter(([, column]) => column !== ""));
}

const WORDS: Readonly<Record<keyof Parts, string>> = {
  key: "The column with the key; the first one unless said",
  accepted: "The column by which a synonym leads to its accepted entry, if there is one",
  since: "The column with the first day on which an entry holds",
  until: "The column with the last day",
};

/** Says what the columns of a list to be are for. */
export function ColumnParts({ parts, set }: { parts: Parts; set: (parts: Parts) => void }) {
  return (
    <details>
      <summary className="cursor-pointer">What its columns are for</summary>
      <div className="mt-1 flex flex-col gap-2">
        {(Object.keys(WORDS) as (keyof Parts)[]).map((part) => (
          <label key={part} className="block">
            <span className="faint text-sm">{WORDS[part]}</span>
            <input
              className="input input-sm"
              value={parts[part]}
              onChange={(e) => set({ ...parts, [part]: e.target.value })}
            />
          </label>
        ))}
      </div>
    </details>
  );
}
