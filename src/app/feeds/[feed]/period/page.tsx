import { getFeed } from "@/store/feeds.ts";
import { dayOf } from "@/store/loads.ts";
import { periodOf } from "@/store/period.ts";
import { daysAsked, daysWords, monthOf } from "@/core/report/days.ts";
import { Link } from "@/ui/kit/link.tsx";
import { withPath } from "@/ui/kit/with-path.ts";
import { PeriodAccount } from "@/ui/feeds/period-account.tsx";
import { orNotThere } from "../../../or-not-there.ts";
import { db } from "../../../server.ts";

export const metadata = { title: "Account of a period" };

/** The account of a feed over some days. */
export default async function PeriodPage({
  params,
  searchParams,
}: {
  params: Promise<{ feed: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const feed = await orNotThere(params.then(({ feed: name }) => getFeed(db(), name)));
  const { from, until } = await searchParams;
  const days = daysAsked(
    typeof from === "string" ? from : undefined,
    typeof until === "string" ? until : undefined,
    dayOf(new Date()),
  );
  const period = await periodOf(db(), feed.name, days);
  const href = (d: { from: string; until: string }): string =>
    `/feeds/${feed.name}/period?from=${d.from}&until=${d.until}`;
  return (
    <>
      <p className="faint">
        <Link href="/feeds">Feeds</Link> / <Link href={`/feeds/${feed.name}`}>{feed.title}</Link>
      </p>
      <div className="flex flex-wrap items-end justify-between gap-4 border-b border-[var(--ink)] pb-3">
        <h1>Account of {daysWords(days)}</h1>
        <form className="flex flex-wrap items-center gap-3">
          <Link className="plain" href={href(monthOf(days.from, -1))}>
            the month before
          </Link>
          <Link className="plain" href={href(monthOf(days.from, 1))}>
            the month after
          </Link>
          <label className="flex items-center gap-2">
            from
            <input type="date" name="from" className="input input-sm !w-40 text-sm" defaultValue={days.from} />
          </label>
          <label className="flex items-center gap-2">
            until
            <input type="date" name="until" className="input input-sm !w-40 text-sm" defaultValue={days.until} />
          </label>
          <button type="submit" className="btn btn-line btn-sm">
            Show
          </button>
          <a
            className="plain"
            href={withPath(`/api/feeds/${feed.name}/period?from=${days.from}&until=${days.until}&as=csv`)}
            download
          >
            as CSV
          </a>
        </form>
      </div>
      {period.loads.length === 0 && <p className="mt-3">No load of this feed ended in these days.</p>}
      <PeriodAccount period={period} />
    </>
  );
}
