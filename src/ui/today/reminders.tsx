import { afterWords } from "@/core/plan/after.ts";
import type { AfterLoad } from "@/store/after.ts";
import type { lateHeld } from "@/store/held.ts";
import type { overdueSenders } from "@/store/senders.ts";
import { Link } from "../kit/link.tsx";
import { counted, grouped } from "../kit/words.ts";
import { owesWords } from "../senders/owes.ts";

const sumOf = (feeds: readonly { late: number }[]): number => feeds.reduce((n, f) => n + f.late, 0);

/** What should have happened by now: what was to be done after loads, held records, what senders owe. */
export function Reminders({
  untold,
  heldLate,
  overdue,
  now,
}: {
  untold: readonly AfterLoad[];
  heldLate: Awaited<ReturnType<typeof lateHeld>>;
  overdue: Awaited<ReturnType<typeof overdueSenders>>;
  now: Date;
}) {
  return (
    <>
      {untold.length > 0 && (
        <p className="mt-2 border-l-4 border-[var(--plum)] bg-[var(--paper-bright)] px-3 py-2" role="status">
          <b className="held">
            {counted(untold.length, "thing")} that {untold.length === 1 ? "was" : "were"} to be done after a load{" "}
            {untold.length === 1 ? "has" : "have"} failed.
          </b>{" "}
          The latest: load {untold[0]!.load}, {afterWords(untold[0]!.action)}. {untold[0]!.answer}{" "}
          <Link className="plain" href={`/loads/${untold[0]!.load}`}>
            Look and try again
          </Link>
        </p>
      )}
      {heldLate.length > 0 && (
        <p className="mt-2 border-l-4 border-[var(--ochre)] px-3 py-1" role="status">
          <b>{counted(sumOf(heldLate), "held record is", "held records are")} late:</b>{" "}
          {heldLate.slice(0, 3).map((f) => (
            <span key={f.feed} className="mr-3">
              <Link className="plain" href={`/quarantine?feed=${f.feed}`}>
                {f.title}
              </Link>
              , {grouped(f.late)} for more than {counted(f.days, "day")}
            </span>
          ))}
        </p>
      )}
      {overdue.length > 0 && (
        <p className="mt-2 border-l-4 border-[var(--ochre)] px-3 py-1" role="status">
          <b>{counted(overdue.length, "sender is", "senders are")} overdue:</b>{" "}
          {overdue.slice(0, 3).map((s) => (
            <span key={s.name} className="mr-3">
              <Link className="plain" href={`/senders/${encodeURIComponent(s.name)}`}>
                {s.name}
              </Link>
              , {owesWords(s, now)}
            </span>
          ))}
          {overdue.length > 3 && (
            <Link className="plain" href="/senders">
              all of them
            </Link>
          )}
        </p>
      )}
    </>
  );
}
