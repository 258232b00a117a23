import Link from "next/link";
import { OUTCOMES } from "@/core/kernel/ledger.ts";
import { listFeeds } from "@/store/feeds.ts";
import { heldAges, heldGroups, lateHeld } from "@/store/held.ts";
import { countPairs } from "@/store/matches.ts";
import { failedAfter } from "@/store/after.ts";
import { afterWords } from "@/core/plan/after.ts";
import { listLoads } from "@/store/loads.ts";
import { overdueSenders } from "@/store/senders.ts";
import { owesWords } from "@/ui/senders/owes.ts";
import { BringIn } from "@/ui/feeds/bring-in.tsx";
import { LoadList } from "@/ui/loads/load-list.tsx";
import { Mark } from "@/ui/kit/mark.tsx";
import { OUTCOME_CLASS, counted, grouped, longDay } from "@/ui/kit/words.ts";
import { db } from "../server.ts";

export const metadata = { title: "Today" };

const sumOf = (feeds: readonly { late: number }[]): number => feeds.reduce((n, f) => n + f.late, 0);

export default async function Today() {
  const now = new Date();
  const since = new Date(now);
  since.setUTCHours(-24, 0, 0, 0);
  const [loads, feeds, groups, ages, pairs, untold, late, heldLate] = await Promise.all([
    listLoads(db(), { since }),
    listFeeds(db()),
    heldGroups(db(), {}),
    heldAges(db(), {}),
    countPairs(db()),
    failedAfter(db(), since),
    overdueSenders(db()),
    lateHeld(db()),
  ]);
  const stopped = loads.filter((l) => l.state === "stopped");
  const failed = loads.filter((l) => l.state === "failed");
  const heldNow = ages.today + ages.week + ages.older;
  const running = loads.filter((l) => l.state === "running" || l.state === "queued").length;
  const need = stopped.length + failed.length;
  const balanced = loads.filter((l) => l.read !== null);
  const closes = balanced.every(
    (l) => l.read === OUTCOMES.reduce((n, o) => n + (o === "left out" ? (l.leftOut ?? 0) : (l[o] ?? 0)), 0),
  );
  const top = groups[0];
  return (
    <>
      <div className="flex items-end justify-between border-b border-[var(--ink)] pb-3">
        <div>
          <p className="faint">{longDay(now)}</p>
          <h1>
            {counted(loads.length, "delivery", "deliveries")} since yesterday
            {need > 0
              ? `, ${need} need${need === 1 ? "s" : ""} you`
              : running > 0
                ? `, ${running} under way`
                : ", none needs you"}
          </h1>
        </div>
        <div className="flex gap-2">
          <BringIn feeds={feeds.map(({ name, title }) => ({ name, title }))} />
        </div>
      </div>
      <section
        aria-label="What needs you"
        className="grid grid-cols-1 divide-x divide-[var(--rule)] border-b border-[var(--rule)] md:grid-cols-2 xl:grid-cols-4"
      >
        <Need
          title={stopped.length === 0 ? "No load stopped" : `${counted(stopped.length, "load")} stopped at a gate`}
          on={stopped.length > 0}
          text={
            stopped[0]
              ? `${stopped[0].feedTitle}, ${stopped[0].sender || stopped[0].files.join(", ")}: ${stopped[0].closedGates.join(" ")} Nothing was written.`
              : "Every gate was passed."
          }
          {...(stopped[0] ? { href: `/loads/${stopped[0].id}`, action: "Look and decide" } : {})}
        />
        <Need
          title={
            heldNow === 0
              ? "No record is held"
              : `${grouped(heldNow)} held, oldest ${ages.oldestDays === 0 ? "today" : counted(ages.oldestDays, "day")}`
          }
          on={heldNow > 0}
          text={
            top
              ? `${grouped(top.count)} share one cause: ${top.fault}. ${counted(groups.length, "cause")} in all.`
              : "The quarantine is empty."
          }
          {...(heldNow > 0 ? { href: "/quarantine", action: "Work through" } : {})}
        />
        <Need
          title={pairs.open === 0 ? "No pair to decide" : `${counted(pairs.open, "pair")} to decide`}
          on={pairs.open > 0}
          text={
            pairs.open > 0
              ? `${counted(pairs.records, "record")} ${pairs.records === 1 ? "waits" : "wait"} until somebody says which are the same.`
              : "No record waits for a decision."
          }
          {...(pairs.open > 0 ? { href: "/matches", action: "Decide" } : {})}
        />
        <Need
          title={failed.length === 0 ? "No load failed" : `${counted(failed.length, "load")} failed`}
          on={failed.length > 0}
          text={failed[0] ? (failed[0].error?.message ?? "") : `${counted(balanced.length, "load")} came to a balance.`}
          {...(failed[0] ? { href: `/loads/${failed[0].id}`, action: "See why" } : {})}
        />
      </section>
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
      {late.length > 0 && (
        <p className="mt-2 border-l-4 border-[var(--ochre)] px-3 py-1" role="status">
          <b>{counted(late.length, "sender is", "senders are")} overdue:</b>{" "}
          {late.slice(0, 3).map((s) => (
            <span key={s.name} className="mr-3">
              <Link className="plain" href={`/senders/${encodeURIComponent(s.name)}`}>
                {s.name}
              </Link>
              , {owesWords(s, now)}
            </span>
          ))}
          {late.length > 3 && (
            <Link className="plain" href="/senders">
              all of them
            </Link>
          )}
        </p>
      )}
      {loads.length === 0 ? (
        <p className="py-8">
          Deliveries will be listed here as they come.{" "}
          {feeds.length === 0
            ? "There is no feed yet: make one of files, under Feeds."
            : "Bring in the first: drop its files anywhere on this page."}
        </p>
      ) : (
        <div className="mt-2">
          <LoadList loads={loads} now={now.toISOString()} showFeed />
        </div>
      )}
      <footer className="mt-2 flex flex-wrap items-center justify-between gap-2 text-sm">
        <span className="flex gap-4">
          {OUTCOMES.map((o) => (
            <span key={o} className={OUTCOME_CLASS[o]}>
              <Mark outcome={o} /> {o}
            </span>
          ))}
        </span>
        <span className="faint">
          {balanced.length > 0 && closes && `All ${balanced.length} balance. `}
          <kbd>↑</kbd> <kbd>↓</kbd> move <kbd>Enter</kbd> open <kbd>?</kbd> keys
        </span>
      </footer>
    </>
  );
}

function Need({
  title,
  text,
  href,
  action,
  on,
}: {
  title: string;
  text: string;
  href?: string;
  action?: string;
  on: boolean;
}) {
  return (
    <div className="px-3 py-2 md:max-xl:even:border-r-0">
      <p className={`font-bold ${on ? "held" : "faint"}`}>{title}</p>
      <p className="line-clamp-3 text-[0.93rem]">{text}</p>
      {href && (
        <Link className="plain" href={href}>
          {action}
        </Link>
      )}
    </div>
  );
}
