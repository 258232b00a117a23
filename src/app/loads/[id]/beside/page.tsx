import { notFound } from "next/navigation";
import { z } from "zod";
import { SieveError } from "@/core/kernel/problem.ts";
import { compareReports, type Compared } from "@/core/report/compare.ts";
import { getFeed } from "@/store/feeds.ts";
import { getLoad, listLoads } from "@/store/loads.ts";
import { OtherLoad } from "@/ui/loads/other-load.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { grouped, moment, recordsHref } from "@/ui/kit/words.ts";
import { db, wholeNumber } from "../../../server.ts";

export const metadata = { title: "Two loads" };
const query = z.object({ other: z.coerce.number().int().optional() });

/** Two loads of a feed beside each other: balance, fields, checks and changes. */
export default async function BesidePage({
  params,
  searchParams,
}: {
  params: Promise<{ id: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  try {
    const id = wholeNumber((await params).id, "The load");
    const load = await getLoad(db(), id);
    const all = await listLoads(db(), { feed: load.feed, limit: 200 });
    const own = all.find((l) => l.id === id);
    const loads = all.filter((l) => l.read !== null && l.id !== id);
    const asked = query.parse(await searchParams).other;
    // The one before of the same sender, or else any before.
    const usual = loads.find((l) => l.id < id && l.sender === own?.sender) ?? loads.find((l) => l.id < id) ?? loads[0];
    const other = asked ?? usual?.id;
    const feed = await getFeed(db(), load.feed);
    const now = new Date();
    const before = other === undefined ? null : await getLoad(db(), other);
    return (
      <>
        <p className="faint">
          <Link href={`/feeds/${load.feed}`}>{feed.title}</Link> / <Link href={`/loads/${id}`}>load {id}</Link>
        </p>
        <div className="flex items-end justify-between gap-4 border-b border-[var(--ink)] pb-3">
          <h1>{before ? `Load ${id} beside load ${before.id}` : `Load ${id} has no other to stand beside`}</h1>
          {before && (
            <OtherLoad
              load={id}
              other={before.id}
              loads={loads.map((l) => ({
                id: l.id,
                says: `${l.id}: ${l.sender || l.files.join(", ")}, ${moment(l.askedAt, now)}`,
              }))}
            />
          )}
        </div>
        {before?.report && load.report && (
          <Comparison before={{ id: before.id, report: before.report }} after={{ id, report: load.report }} />
        )}
      </>
    );
  } catch (error) {
    if (error instanceof SieveError || error instanceof z.ZodError) notFound();
    throw error;
  }
}

interface Side {
  id: number;
  report: Parameters<typeof compareReports>[0];
}

const percent = (n: number): string => `${(n * 100).toFixed(1)}`;

function Pair({ of, words, marked }: { of: Compared; words: (n: number) => string; marked: (d: number) => boolean }) {
  const { before, after } = of;
  const d = before === null || after === null ? null : after - before;
  return (
    <>
      <td className="n faint">{before === null ? "–" : words(before)}</td>
      <td className="n">{after === null ? "–" : words(after)}</td>
      <td className={`n ${d !== null && marked(d) ? "changed font-bold" : "faint"}`}>
        {d === null
          ? before === null
            ? "new"
            : "gone"
          : words(Math.abs(d)) === words(0)
            ? ""
            : `${d > 0 ? "+" : "−"}${words(Math.abs(d))}`}
      </td>
    </>
  );
}

function Heads({ before, after, unit }: { before: number; after: number; unit: string }) {
  return (
    <>
      <th className="n">{before}</th>
      <th className="n">
        {after}
        {unit}
      </th>
      <th className="n">change</th>
    </>
  );
}

function Comparison({ before, after }: { before: Side; after: Side }) {
  const { outcomes, fields, checks, steps } = compareReports(before.report, after.report);
  const ids = { before: before.id, after: after.id };
  return (
    <div className="mt-3 grid grid-cols-1 gap-8 lg:grid-cols-2">
      <section className="min-w-0">
        <h2>Balance</h2>
        <table className="ledger tight">
          <thead>
            <tr>
              <th>records</th>
              <Heads {...ids} unit="" />
            </tr>
          </thead>
          <tbody>
            {outcomes.map((o) => (
              <tr key={o.name}>
                <td>{o.name}</td>
                <Pair of={o} words={grouped} marked={(d) => Math.abs(d) > 0.2 * Math.max(10, o.before ?? 0)} />
              </tr>
            ))}
          </tbody>
        </table>
        <h2 className="mt-4">Checks that fired, as a share of the records read</h2>
        <table className="ledger tight">
          <thead>
            <tr>
              <th>what was wrong</th>
              <Heads {...ids} unit=" %" />
            </tr>
          </thead>
          <tbody>
            {checks.map((c) => (
              <tr key={c.key}>
                <td className="max-w-64 truncate" title={c.fault}>
                  <Link className="count" href={recordsHref(after.id, { check: c.key })}>
                    {c.fault}
                  </Link>
                </td>
                <Pair of={c} words={percent} marked={(d) => Math.abs(d) >= 0.01} />
              </tr>
            ))}
          </tbody>
        </table>
        {checks.length === 0 && <p>No check found anything in either.</p>}
      </section>
      <section className="min-w-0">
        <h2>Fields</h2>
        <table className="ledger tight">
          <thead>
            <tr>
              <th>filled</th>
              <Heads {...ids} unit=" %" />
              <th className="n">valid {before.id}</th>
              <th className="n">{after.id} %</th>
              <th className="n">change</th>
            </tr>
          </thead>
          <tbody>
            {fields.map((f) => (
              <tr key={f.name}>
                <td className="max-w-36 truncate" title={f.name}>
                  {f.name}
                </td>
                <Pair of={f.filled} words={percent} marked={(d) => Math.abs(d) >= 0.05} />
                <Pair of={f.valid} words={percent} marked={(d) => Math.abs(d) >= 0.02} />
              </tr>
            ))}
          </tbody>
        </table>
        <h2 className="mt-4">Changes made, cells by step</h2>
        <table className="ledger tight">
          <thead>
            <tr>
              <th>step</th>
              <Heads {...ids} unit="" />
            </tr>
          </thead>
          <tbody>
            {steps.map((s) => (
              <tr key={s.name}>
                <td className="max-w-64 truncate" title={s.name}>
                  {s.name}
                </td>
                <Pair of={s} words={grouped} marked={(d) => Math.abs(d) > Math.max(20, (s.before ?? 0) * 0.5)} />
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    </div>
  );
}
