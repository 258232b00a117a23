import { Fragment } from "react";
import type { Mend } from "@/core/mend/suggest.ts";
import { counted, grouped } from "../kit/words.ts";

/** Mends of single values that are shown beside those of all that are alike. */
const MENDS_SHOWN = 4;

const wordsOf = (m: Mend): string => m.sets.map(({ from, to }) => `${to} for ${from || "nothing"}`).join(" and ");

/** Mends that could be meant: of many values for one reason at once, and of single values. */
export function MendsMeant({ mends, take }: { mends: readonly Mend[]; take: (which: readonly Mend[]) => void }) {
  const reasons = [...new Set(mends.map((m) => m.because))]
    .map((because) => mends.filter((m) => m.because === because))
    .filter((own) => own.length > 1);
  const sum = (list: readonly Mend[], of: (m: Mend) => number): number => list.reduce((n, m) => n + of(m), 0);
  const button = (which: readonly Mend[], label: string) => {
    const [records, releases] = [sum(which, (m) => m.records.length), sum(which, (m) => m.releases)];
    return (
      <button type="button" className="plain whitespace-nowrap" aria-label={label} onClick={() => take(which)}>
        {records === 1 ? "set it" : `set in ${grouped(records)}`}
        {releases > 0 ? `, mends ${grouped(releases)}` : ""}
      </button>
    );
  };
  return (
    <ul aria-label="Mends that could be meant" className="mb-1 flex flex-wrap gap-x-5 gap-y-0.5 text-sm">
      {reasons.map((own) => (
        <li key={own[0]!.because} className="flex w-full items-baseline gap-1.5">
          <span>
            {counted(own.length, "value")}, <b>{own[0]!.because}</b>:
          </span>
          {button(own, `Set all values: ${own[0]!.because}`)}
        </li>
      ))}
      {mends.slice(0, MENDS_SHOWN).map((m) => (
        <li key={JSON.stringify(m.sets)} className="flex items-baseline gap-1.5" title={m.because}>
          {m.sets.map(({ field, from, to }) => (
            <Fragment key={field}>
              {m.sets.length > 1 && <span>{field}</span>}
              <span className="raw held max-w-40 truncate">{from === "" ? "nothing" : from}</span>
              <span className="faint">→</span>
              <span className="raw changed max-w-40 truncate font-semibold">{to}</span>
            </Fragment>
          ))}
          {button([m], `Set ${wordsOf(m)} in ${counted(m.records.length, "record")}`)}
        </li>
      ))}
    </ul>
  );
}
