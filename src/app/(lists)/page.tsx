import { OUTCOMES } from "@/core/kernel/ledger.ts";
import { listFeeds } from "@/store/feeds.ts";
import { heldAges, heldGroups, lateHeld } from "@/store/held.ts";
import { countPairs } from "@/store/matches.ts";
import { failedAfter, openNotices } from "@/store/after.ts";
import { listLoads } from "@/store/loads.ts";
import { overdueSenders } from "@/store/senders.ts";
import { BringIn } from "@/ui/feeds/bring-in.tsx";
import { LoadList } from "@/ui/loads/load-list.tsx";
import { Notices } from "@/ui/today/notices.tsx";
import { Needs } from "@/ui/today/needs.tsx";
import { Reminders } from "@/ui/today/reminders.tsx";
import { Mark } from "@/ui/kit/mark.tsx";
import { OUTCOME_CLASS, counted, longDay } from "@/ui/kit/words.ts";
import { db } from "../server.ts";

export const metadata = { title: "Today" };

export default async function Today() {
  const now = new Date();
  const since = new Date(now);
  since.setUTCHours(-24, 0, 0, 0);
  const [loads, feeds, groups, ages, pairs, untold, late, heldLate, notices] = await Promise.all([
    listLoads(db(), { since }),
    listFeeds(db()),
    heldGroups(db(), {}),
    heldAges(db(), {}),
    countPairs(db()),
    failedAfter(db(), since),
    overdueSenders(db()),
    lateHeld(db()),
    openNotices(db()),
  ]);
  const running = loads.filter((l) => l.state === "running" || l.state === "queued").length;
  const need = loads.filter((l) => l.state === "stopped" || l.state === "failed").length;
  const balanced = loads.filter((l) => l.read !== null);
  const closes = balanced.every(
    (l) => l.read === OUTCOMES.reduce((n, o) => n + (o === "left out" ? (l.leftOut ?? 0) : (l[o] ?? 0)), 0),
  );
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
      <Needs loads={loads} ages={ages} groups={groups} pairs={pairs} />
      <Notices
        notices={notices}
        titles={Object.fromEntries(feeds.map((f) => [f.name, f.title]))}
        now={now.toISOString()}
      />
      <Reminders untold={untold} heldLate={heldLate} overdue={late} now={now} />
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
