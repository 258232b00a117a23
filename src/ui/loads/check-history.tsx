import type { CheckHistory } from "@/store/load-history.ts";
import { Link } from "../kit/link.tsx";
import { counted, grouped, recordsHref } from "../kit/words.ts";

/** How often each check has found something, over the loads of the feed. */
export function CheckHistoryTable({ history }: { history: readonly CheckHistory[] }) {
  const loads = Math.max(0, ...history.map((h) => h.loads));
  if (loads === 0) return null;
  const fired = history.filter((h) => h.fired > 0);
  const never = history.length - fired.length;
  return (
    <details className="mt-5">
      <summary className="cursor-pointer">
        <h2 className="inline">How often they have fired</h2>{" "}
        <span className="faint">
          {fired.length} of {counted(history.length, "check")} in {counted(loads, "load")}
        </span>
      </summary>
      <table className="ledger tight mt-1 max-w-3xl">
        <thead>
          <tr>
            <th>what was wrong</th>
            <th className="n">records</th>
            <th className="n">loads</th>
            <th className="n">of</th>
            <th className="n">last in load</th>
          </tr>
        </thead>
        <tbody>
          {fired.map((h) => (
            <tr key={h.key}>
              <td className="max-w-96 truncate" title={h.fault}>
                {h.fault}
              </td>
              <td className="n">{grouped(h.problems)}</td>
              <td className="n">{grouped(h.fired)}</td>
              <td className="n faint">{grouped(h.loads)}</td>
              <td className="n">
                <Link className="count" href={recordsHref(h.last!, { check: h.key })}>
                  {h.last}
                </Link>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {never > 0 && (
        <p className="faint">
          {counted(never, "check")} never fired:{" "}
          {history
            .filter((h) => h.fired === 0)
            .map((h) => h.fault)
            .join("; ")}
          .
        </p>
      )}
    </details>
  );
}
