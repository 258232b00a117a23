import { printCheck } from "@/core/check/identity.ts";
import { likenessWords } from "@/core/lookup/limits.ts";
import { doubtsWords, limitsWords } from "@/core/match/model/doubts.ts";
import { answersWords, measuredWords, type Answers } from "@/core/match/model/measured.ts";
import { estimateOf } from "@/core/match/metrics.ts";
import type { LoadReport } from "@/core/report/report.ts";
import { ScoreChart } from "../matches/score-chart.tsx";
import { Link } from "../kit/link.tsx";
import { counted, grouped, recordsHref, sentence } from "../kit/words.ts";

/** How the records result with each reference list that was asked. */
export function LoadLookUps({ load, report }: { load: number; report: LoadReport }) {
  const lookUps = report.lookUps ?? [];
  if (lookUps.length === 0) return null;
  return (
    <>
      <h2 className="mt-4">Look-ups</h2>
      <table className="ledger tight">
        <thead>
          <tr>
            <th>in the list</th>
            <th className="n">exact</th>
            <th className="n">scored</th>
            <th className="n">several</th>
            <th className="n">none</th>
            <th className="n" title="Records with nothing to ask by">
              empty
            </th>
          </tr>
        </thead>
        <tbody>
          {lookUps.map((l) => (
            <tr key={l.name}>
              <td>
                {l.name}:{" "}
                {l.version === 0 ? (
                  <span className="faint">{l.list}, a file of the delivery</span>
                ) : (
                  <>
                    <Link className="underline" href={`/references/${l.list}`}>
                      {l.list}
                    </Link>{" "}
                    <span className="faint">version {l.version}</span>
                  </>
                )}
              </td>
              <td className="n">{grouped(l.counts.exact)}</td>
              <td className="n">{grouped(l.counts.scored)}</td>
              {(["several", "none"] as const).map((result) => (
                <td key={result} className="n">
                  {l.counts[result] > 0 &&
                  (report.checks.find((c) => c.key === keyOf(l.name, result))?.problems ?? 0) > 0 ? (
                    <Link className="count" href={recordsHref(load, { check: keyOf(l.name, result) })}>
                      {grouped(l.counts[result])}
                    </Link>
                  ) : (
                    grouped(l.counts[result])
                  )}
                </td>
              ))}
              <td className="n faint">{grouped(l.counts.empty)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {lookUps.some((l) => l.unknown.length > 0) && (
        <p className="faint mt-1 text-sm">
          Without a partner, the commonest:{" "}
          {lookUps
            .flatMap((l) => l.unknown)
            .slice(0, 6)
            .map((u) => `${u.values.join(", ")} (${grouped(u.count)})`)
            .join("; ")}
        </p>
      )}
      {lookUps.map((l) => (
        <div key={l.name} className="faint text-sm">
          {l.limits && (
            <p className="mt-1">
              {l.name}: {likenessWords(l.limits)}
            </p>
          )}
          {l.repeated && (
            <p className="mt-1">
              {counted(l.repeated.count, "key")} of {l.list} {l.repeated.count === 1 ? "is" : "are"} that of several of
              its entries, {grouped(l.repeated.entries)} in all: {someOf(l.repeated)}
            </p>
          )}
          {l.unused && l.unused.count > 0 && (
            <p className="mt-1">
              {counted(l.unused.count, "entry", "entries")} of {l.list} found no record: {someOf(l.unused)}
            </p>
          )}
        </div>
      ))}
    </>
  );
}

/** Some keys, and whether there are more. */
function someOf({ count, keys }: { readonly count: number; readonly keys: readonly string[] }): string {
  return keys.slice(0, 6).join(", ") + (count > 6 ? " …" : "");
}

function keyOf(name: string, result: "several" | "none"): string {
  return printCheck({ kind: "look-up", name, several: result === "several" });
}

/** What a load's records were compared with, and what came of it. */
export function LoadMatches({
  load,
  report,
  clusters,
  open,
  answers,
}: {
  load: number;
  report: LoadReport;
  clusters: number;
  open: number;
  answers: Answers;
}) {
  const { matches } = report;
  if (!matches) return null;
  const estimate = estimateOf(matches);
  const measured = measuredWords(estimate.answered?.right ?? 0, estimate.answered?.all ?? 0);
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
        {matches.known > 0 && `, with ${grouped(matches.known)} rows of the target`}
        {(matches.entries ?? 0) > 0 && `, with ${grouped(matches.entries!)} entries of a reference list`}.
        {matches.compared > 0 &&
          ` ${grouped(Math.round((1000 * matches.pairs.ask) / matches.compared))} questions for each 1,000.`}
      </p>
      <ScoreChart
        scores={matches.scores}
        limits={matches.limits}
        pairs={matches.pairs}
        title="Candidate pairs by score"
      />
      <p className="mt-1 max-w-prose">{sentence(limitsWords(matches.limits, estimate))}</p>
      {measured && <p className="mt-1 max-w-prose">{sentence(`measured from the limit on: ${measured}`)}</p>}
      {answersWords(answers).map((words) => (
        <p key={words} className="mt-1 max-w-prose">
          {words}
        </p>
      ))}
      {doubtsWords(estimate, matches.fields).map((words) => (
        <p key={words} className="mt-1 max-w-prose border-l-4 border-[var(--ochre)] pl-2">
          {words}
        </p>
      ))}
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
