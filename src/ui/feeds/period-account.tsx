import { PERIOD_COLUMNS } from "@/core/report/period-columns.ts";
import { short } from "@/core/gate/part.ts";
import type { AnnouncedAccount, HeldAccount, Period, PeriodLoad, SumAccount, TargetAccount } from "@/store/period.ts";
import { Totals } from "../loads/load-writing.tsx";
import { tableWords } from "../loads/writing-list.tsx";
import { Link } from "../kit/link.tsx";
import { cellNumber, counted, grouped } from "../kit/words.ts";
import { CONTENTS, openAccounts } from "./period.ts";

/** What came in some days and what became of it, load by load, with what it all adds up to. */
export function PeriodAccount({ period }: { period: Period }) {
  const open = openAccounts(period.sums, period.held, period.fields, period.after);
  return (
    <>
      {open.length === 0 ? (
        <p className="mt-2">
          <b>All of it adds up:</b> what was read and what became of it, what was held and what is, the sums that the
          loads had written, and the records in files that went out.
        </p>
      ) : (
        <ul className="mt-2 border-l-4 border-[var(--plum)] bg-[var(--paper-bright)] px-3 py-2" role="alert">
          {open.map((o) => (
            <li key={o}>
              <b>It does not add up:</b> {o}.
            </li>
          ))}
        </ul>
      )}
      {period.loads.length > 0 && <Loads period={period} />}
      <div className="mt-6 grid grid-cols-1 gap-8 lg:grid-cols-2">
        <div>
          <Held held={period.held} feed={period.feed} />
          <After period={period} />
        </div>
        <div>
          <Targets targets={period.targets} />
          <Sums fields={period.fields} />
          <AnnouncedTotals announced={period.announced} loads={period.sums.loads} />
        </div>
      </div>
    </>
  );
}

function Loads({ period: { loads, sums } }: { period: Period }) {
  const shown = PERIOD_COLUMNS.filter(([key]) => key === "read" || loads.some((l) => l[key] > 0));
  return (
    <div className="mt-3 overflow-x-auto" tabIndex={0} role="region" aria-label="Loads of the period">
      <table className="ledger">
        <thead>
          <tr>
            <th className="n">load</th>
            <th>day</th>
            <th>sender</th>
            {shown.map(([key, words]) => (
              <th key={key} className="n">
                {words}
              </th>
            ))}
            <th></th>
          </tr>
        </thead>
        <tbody>
          {loads.map((l) => (
            <LoadLine key={l.id} load={l} shown={shown} />
          ))}
        </tbody>
        <tfoot>
          <tr className="border-t border-[var(--ink)] font-bold">
            <td colSpan={3}>
              {counted(sums.loads, "load")} that stand{sums.loads === 1 ? "s" : ""}
            </td>
            {shown.map(([key]) => (
              <td key={key} className="n">
                {cellNumber(sums[key], key !== "read")}
              </td>
            ))}
            <td></td>
          </tr>
        </tfoot>
      </table>
    </div>
  );
}

function LoadLine({ load, shown }: { load: PeriodLoad; shown: readonly (typeof PERIOD_COLUMNS)[number][] }) {
  const stands = load.state === "loaded";
  return (
    <tr className={stands ? "" : "faint"}>
      <td className="n">
        <Link className="count" href={`/loads/${load.id}`}>
          {load.id}
        </Link>
      </td>
      <td className="whitespace-nowrap">{new Date(load.endedAt).toISOString().slice(0, 10)}</td>
      <td className="max-w-64 truncate" title={load.sender}>
        {load.sender === "" ? "nobody named" : load.sender}
      </td>
      {shown.map(([key]) => (
        <td key={key} className={`n ${stands ? "" : "line-through"}`}>
          {cellNumber(load[key], key !== "read")}
        </td>
      ))}
      <td>{stands ? "" : `${load.state}: not counted`}</td>
    </tr>
  );
}

const WENT: Readonly<Record<string, string>> = {
  released: "released to the target",
  discarded: "discarded",
  closed: "closed by a later load",
  overtaken: "overtaken by something newer",
};

function Held({ held, feed }: { held: HeldAccount; feed: string }) {
  const went = Object.entries(held.went).filter(([, n]) => n > 0);
  return (
    <section aria-label="The quarantine">
      <h2>The quarantine</h2>
      <table className="ledger tight w-full max-w-md">
        <tbody>
          <tr>
            <td>held before</td>
            <td className="n">{grouped(held.atStart)}</td>
          </tr>
          <tr>
            <td>came</td>
            <td className="n">+ {grouped(held.came)}</td>
          </tr>
          {went.map(([state, n]) => (
            <tr key={state}>
              <td>{WENT[state] ?? state}</td>
              <td className="n">− {grouped(n)}</td>
            </tr>
          ))}
          <tr className="border-t border-[var(--ink)] font-bold">
            <td>
              <Link className="underline" href={`/quarantine?feed=${feed}`}>
                held after
              </Link>
            </td>
            <td className="n">{grouped(held.atEnd)}</td>
          </tr>
          {held.overtaken > 0 && (
            <tr>
              <td>
                <Link className="underline" href={`/quarantine?feed=${feed}&state=overtaken`}>
                  of them overtaken by something newer
                </Link>
              </td>
              <td className="n">{grouped(held.overtaken)}</td>
            </tr>
          )}
        </tbody>
      </table>
    </section>
  );
}

function Targets({ targets }: { targets: readonly TargetAccount[] }) {
  if (targets.length === 0) return null;
  const names = [...new Set(targets.map((t) => t.target))];
  return (
    <section aria-label="What was written">
      <h2>What was written</h2>
      <table className="ledger tight w-full">
        <thead>
          <tr>
            <th>table</th>
            <th>by</th>
            <th className="n">put there</th>
            <th className="n">changed</th>
            <th className="n">taken away</th>
          </tr>
        </thead>
        <tbody>
          {names.flatMap((name) => {
            const own = targets.filter((t) => t.target === name);
            return own.map((t, i) => (
              <tr key={`${name} ${t.kind}`}>
                <td>{i === 0 ? tableWords(name) : ""}</td>
                <td>{counted(t.writings, t.kind)}</td>
                <td className="n">{cellNumber(t.inserted, true)}</td>
                <td className="n">{cellNumber(t.updated, true)}</td>
                <td className="n">{cellNumber(t.removed, true)}</td>
              </tr>
            ));
          })}
        </tbody>
      </table>
    </section>
  );
}

function Sums({ fields }: { fields: readonly SumAccount[] }) {
  if (fields.length === 0) return null;
  return (
    <section className="mt-4" aria-label="Sums of what was written">
      <h2>Sums of what the loads wrote</h2>
      <Totals what="field" lines={fields.map((f) => ({ what: f.field, sides: [f.ledger, f.target] }))} />
    </section>
  );
}

/** What senders announced beside what came of it, over the loads that stand. */
function AnnouncedTotals({ announced, loads }: { announced: readonly AnnouncedAccount[]; loads: number }) {
  if (announced.length === 0) return null;
  return (
    <section className="mt-4" aria-label="What senders announced">
      <h2>What senders announced</h2>
      <table className="ledger tight mt-1 w-full">
        <thead>
          <tr>
            <th>total</th>
            <th className="n">loads</th>
            <th className="n">announced</th>
            <th className="n">came</th>
          </tr>
        </thead>
        <tbody>
          {announced.map((a) => (
            <tr key={a.what}>
              <td>{a.what}</td>
              <td className="n faint">
                {grouped(a.loads)} of {grouped(loads)}
              </td>
              <td className="n">{short(a.announced)}</td>
              <td className={`n ${a.announced === a.came ? "" : "held font-bold"}`}>{short(a.came)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

const DOES: Readonly<Record<string, string>> = {
  call: "a receiver was called",
  file: "files were written",
  put: "files were put to an address",
  feed: "records were given to another feed",
  sql: "a statement was run",
  notice: "a notice was put on Today",
};

function After({ period: { after } }: { period: Period }) {
  if (after.length === 0) return null;
  return (
    <section className="mt-4" aria-label="After the loads">
      <h2>After the loads</h2>
      <table className="ledger tight w-full max-w-2xl">
        <thead>
          <tr>
            <th>what was done</th>
            <th />
            <th className="n">times</th>
            <th className="n">files</th>
            <th className="n">records in them</th>
            <th className="n">of the loads</th>
          </tr>
        </thead>
        <tbody>
          {after.map((a) => (
            <tr key={`${a.does} ${a.what ?? ""} ${a.state}`}>
              <td>
                {DOES[a.does] ?? a.does}
                {a.what !== null && <span className="faint">, {CONTENTS[a.what]}</span>}
              </td>
              <td className={a.state === "failed" ? "held font-bold" : "faint"}>{a.state}</td>
              <td className="n">{grouped(a.times)}</td>
              <td className="n">{a.files === null ? "" : grouped(a.files)}</td>
              <td className={`n ${a.expected === null || a.records === a.expected ? "" : "held font-bold"}`}>
                {a.records === null ? "" : grouped(a.records)}
              </td>
              <td className="n faint">{a.expected === null ? "" : grouped(a.expected)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
