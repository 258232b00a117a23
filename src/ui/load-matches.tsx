import Link from "next/link";
import type { LoadReport } from "@/core/report.ts";
import { ScoreChart } from "./score-chart.tsx";
import { grouped, recordsHref } from "./words.ts";

/** What a load's records were compared with, and what came of it. */
export function LoadMatches({
  load,
  report,
  clusters,
  open,
}: {
  load: number;
  report: LoadReport;
  clusters: number;
  open: number;
}) {
  const { matches } = report;
  if (!matches) return null;
  const rows: [string, number, string | null][] = [
    ["merged: one with another record", matches.merged, recordsHref(load, { outcome: "merged" })],
    ["waiting for a decision", matches.waiting, recordsHref(load, { outcome: "waiting" })],
    ["new: like no other", matches.fresh, null],
  ];
  return (
    <>
      <h2 className="mt-4">Matches</h2>
      <table className="ledger tight">
        <tbody>
          {rows.map(([words, n, href]) => (
            <tr key={words}>
              <td>{words}</td>
              <td className="n">
                {href && n > 0 ? (
                  <Link className="count" href={href}>
                    {grouped(n)}
                  </Link>
                ) : (
                  grouped(n)
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1">
        {grouped(matches.compared)} compared by {matches.fields.join(", ")}
        {matches.known > 0 && `, with ${grouped(matches.known)} rows of the target`}.
      </p>
      <ScoreChart scores={matches.scores} limits={matches.limits} title="Candidate pairs by score" />
      <p className="flex gap-4">
        {open > 0 && (
          <Link className="plain" href={`/matches?load=${load}`}>
            Decide {grouped(open)} {open === 1 ? "pair" : "pairs"}
          </Link>
        )}
        {clusters > 0 && (
          <Link className="plain" href={`/loads/${load}/clusters`}>
            {grouped(clusters)} {clusters === 1 ? "cluster" : "clusters"}, and what was kept
          </Link>
        )}
      </p>
    </>
  );
}
