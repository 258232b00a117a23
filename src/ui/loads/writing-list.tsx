import type { Writing } from "@/store/writings.ts";
import { Link } from "../kit/link.tsx";
import { cellNumber, counted, grouped, moment } from "../kit/words.ts";

/** What a writing is, in few words: “release of 3 held records of load 12”. */
export function writingWords(w: Pick<Writing, "kind" | "load" | "undoes">): string {
  switch (w.kind) {
    case "load":
      return `load ${w.load}`;
    case "release":
      return `release from load ${w.load}`;
    case "decision":
      return `decision about load ${w.load}`;
    case "split":
    case "put back":
    case "join":
      return `cluster of load ${w.load}: ${w.kind}`;
    case "undo":
      return `undo of writing ${w.undoes}`;
  }
}

/** The name of a table as people read it. */
export const tableWords = (quoted: string): string => quoted.replaceAll('"', "");

/** Writings of a feed's targets, the latest first: what each did to the rows, who, when and why. */
export function WritingList({ writings, now }: { writings: readonly Writing[]; now: string }) {
  const today = new Date(now);
  const several = new Set(writings.map((w) => w.target)).size > 1;
  return (
    <table className="ledger">
      <thead>
        <tr>
          <th className="n">writing</th>
          <th>what</th>
          {several && <th>table</th>}
          <th className="n">put there</th>
          <th className="n">changed</th>
          <th className="n">taken away</th>
          <th>who and when</th>
          <th>why</th>
          <th>since</th>
        </tr>
      </thead>
      <tbody>
        {writings.map((w) => (
          <tr key={w.id}>
            <td className="n">
              <Link className="count" href={`/writings/${w.id}`}>
                {w.id}
              </Link>
            </td>
            <td className="whitespace-nowrap">
              <Link className="underline" href={w.kind === "undo" ? `/writings/${w.undoes}` : `/loads/${w.load}`}>
                {writingWords(w)}
              </Link>
            </td>
            {several && <td>{tableWords(w.target)}</td>}
            <td className="n">{cellNumber(w.inserted, true)}</td>
            <td className="n">{cellNumber(w.updated, true)}</td>
            <td className="n">{cellNumber(w.removed, true)}</td>
            <td className="whitespace-nowrap">
              {w.by}, <span className="faint">{moment(w.at, today)}</span>
            </td>
            <td className="max-w-72 truncate" title={w.reason}>
              {w.reason}
            </td>
            <td className="whitespace-nowrap">
              {w.undoneBy !== null ? (
                <Link className="underline" href={`/writings/${w.undoneBy}`}>
                  undone by {w.undoneBy}
                </Link>
              ) : w.leftRows > 0 ? (
                `${counted(w.leftRows, "row")} left`
              ) : (
                <span className="faint">stands</span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What a writing did to its target, as numbers in a line. */
export function didWords(w: Pick<Writing, "inserted" | "updated" | "removed" | "leftRows">): string {
  let said = false;
  const rows = (n: number): string => {
    const words = said ? grouped(n) : counted(n, "row");
    said = true;
    return words;
  };
  const parts = [
    w.inserted > 0 ? `${rows(w.inserted)} put there` : "",
    w.updated > 0 ? `${rows(w.updated)} changed` : "",
    w.removed > 0 ? `${rows(w.removed)} taken away` : "",
    w.leftRows > 0 ? `${rows(w.leftRows)} left as they were` : "",
  ].filter((p) => p !== "");
  return parts.join(", ") || "no row changed";
}
