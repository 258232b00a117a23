import type { CauseOrder, HeldGroup } from "@/store/held.ts";
import { Bar } from "../kit/bar.tsx";
import { Link } from "../kit/link.tsx";
import { counted, grouped } from "../kit/words.ts";

/** How many records one mend of a cause is for, as a rule. */
export const gainOf = ({ count, mends }: Pick<HeldGroup, "count" | "mends">): number => count / (mends ?? count);

/** What is wrong, by cause, with how many records each holds; and how long they have been held. */
export function Causes({
  groups,
  group,
  order,
  ages,
  titles,
  query,
}: {
  groups: readonly HeldGroup[];
  order: CauseOrder;
  /** The cause whose records are shown. */
  group: HeldGroup;
  ages: { today: number; week: number; older: number };
  titles: Readonly<Record<string, string>>;
  /** The page's query with something else in it. */
  query: (more: Record<string, string | number | undefined>) => string;
}) {
  const several = groups.some((g) => g.feed !== group.feed);
  const byGain = order === "gain";
  const ordered = (by: CauseOrder): { order?: CauseOrder } => (by === "gain" ? { order: by } : {});
  const length = (g: HeldGroup): number => (byGain ? gainOf(g) : g.count);
  const longest = Math.max(...groups.map(length));
  return (
    <section aria-label="What is wrong" className="min-w-0">
      <div className="flex justify-between border-b border-[var(--ink)] pb-1">
        <h2>What is wrong</h2>
        <Link
          className="plain text-sm"
          href={`/quarantine?${query({ check: group.check, of: group.feed, ...ordered(byGain ? "records" : "gain") })}`}
          title={
            byGain
              ? "The causes with the most records first"
              : "The causes first of which one mend is for the most records"
          }
        >
          {byGain ? "by records a mend" : "by records"}
        </Link>
      </div>
      <ul className="max-h-[calc(100dvh-15.5rem)] overflow-auto">
        {groups.map((g) => {
          const here = g.check === group.check && g.feed === group.feed;
          return (
            <li key={`${g.feed} ${g.check}`}>
              <Link
                href={`/quarantine?${query({ check: g.check, of: g.feed, ...ordered(order) })}`}
                aria-current={here ? "true" : undefined}
                className={`block border-b border-[var(--rule)] border-l-4 py-1.5 pr-2 pl-2 ${here ? "border-l-[var(--plum)] bg-[var(--shade)]" : "border-l-transparent"}`}
              >
                <span className="flex justify-between gap-2">
                  <span className="min-w-0 font-semibold [overflow-wrap:anywhere]">{g.fault}</span>
                  <b className="held">{grouped(g.count)}</b>
                </span>
                {several && <span className="faint block text-xs">{titles[g.feed]}</span>}
                {g.late > 0 && <span className="waiting block text-xs">{grouped(g.late)} late</span>}
                {byGain && <span className="faint block text-xs">{counted(g.mends!, "thing")} to mend</span>}
                <Bar share={length(g) / longest} className="mt-0.5 h-1.5 text-[var(--plum)]" />
              </Link>
            </li>
          );
        })}
      </ul>
      <h2 className="mt-3">Age</h2>
      <p>
        today <b>{grouped(ages.today)}</b> · 1-7 days <b>{grouped(ages.week)}</b> · older <b>{grouped(ages.older)}</b>
      </p>
    </section>
  );
}
