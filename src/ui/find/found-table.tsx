import { listed } from "@/core/kernel/problem.ts";
import { stateWords } from "@/core/report/found-words.ts";
import type { FoundRow, FoundValue } from "@/engine/look/find-value.ts";
import { Link } from "../kit/link.tsx";
import { counted, grouped, moment } from "../kit/words.ts";
import { placeOf } from "./found-words.ts";
import { RowChanges } from "./row-changes.tsx";

/** What was found of a value: rows with their lives, and records that are not rows. */
export function FoundTable({ value, found, now }: { value: string; found: FoundValue; now: Date }) {
  const { rows, records, more, unfinished } = found;
  return (
    <>
      {rows.length + records.length === 0 && (
        <p className="mt-4 max-w-prose">
          Nothing has <b className="raw break-all">{value}</b>
          {unfinished.length > 0 ? " in what could be looked at" : ""}: no row of a target, and no record that is held,
          waits, was merged or left out. It is looked for exactly as it is, with its capitals and blanks.
        </p>
      )}
      {unfinished.length > 0 && (
        <p className="mt-2 max-w-prose border-l-4 border-[var(--ochre)] pl-2" role="status">
          {listed(unfinished)} {unfinished.length === 1 ? "has" : "have"} so many rows that they could not all be looked
          through in the time there is.
        </p>
      )}
      {rows.length > 0 && (
        <h2 className="mt-4">
          {more.rows && "The first "}
          {counted(rows.length, "row")} of targets
        </h2>
      )}
      {rows.map((row) => (
        <Row key={`${row.target} ${row.load} ${row.record}`} row={row} now={now} />
      ))}
      {records.length > 0 && (
        <>
          <h2 className="mt-4">
            {more.records && "The first "}
            {counted(records.length, "record")} besides
          </h2>
          <table className="ledger">
            <thead>
              <tr>
                <th>feed</th>
                <th className="n">load</th>
                <th>came as</th>
                <th>what became of it</th>
                <th>what it has</th>
              </tr>
            </thead>
            <tbody>
              {records.map((r) => (
                <tr key={`${r.load} ${r.record} ${r.state}`}>
                  <td>{r.title}</td>
                  <td className="n">
                    <Link className="count" href={`/loads/${r.load}`}>
                      {r.load}
                    </Link>
                  </td>
                  <td className="whitespace-nowrap">
                    <Link className="plain" href={`/loads/${r.load}/records/${r.record}`}>
                      {r.file === null
                        ? `record ${grouped(r.record + 1)}`
                        : `line ${grouped(r.line ?? 0)} of ${r.file}`}
                    </Link>
                  </td>
                  <td>
                    <Link className="plain" href={placeOf(r)}>
                      {stateWords(r)}
                    </Link>
                    {r.endedAt && <span className="faint">, {moment(r.endedAt, now)}</span>}
                  </td>
                  <td className="break-words">{r.values.filter((v) => v !== "").join(" · ")}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </>
  );
}

function Row({ row, now }: { row: FoundRow; now: Date }) {
  return (
    <section className="mt-2 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2">
      <p>
        <Link className="plain" href={`/feeds/${row.feed}`}>
          {row.title}
        </Link>
        , table {row.target}
        {row.load !== null && (
          <>
            ; came last as{" "}
            <Link className="plain" href={`/loads/${row.load}/records/${row.record ?? 0}`}>
              record {grouped((row.record ?? 0) + 1)} of load {row.load}
            </Link>
          </>
        )}
      </p>
      <dl className="mt-1 grid grid-cols-1 gap-x-6 md:grid-cols-2 xl:grid-cols-3">
        {row.names.map((name, i) => (
          <div key={name} className="flex gap-2">
            <dt className="faint shrink-0">{name}</dt>
            <dd className={`break-words ${row.in.includes(name) ? "font-bold" : ""}`}>{row.values[i] || "–"}</dd>
          </div>
        ))}
      </dl>
      <RowChanges changes={row.changes} now={now} />
    </section>
  );
}
