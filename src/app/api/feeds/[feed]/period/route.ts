import { db, handle } from "@/app/server.ts";
import { daysAsked } from "@/core/report/days.ts";
import { csvRow } from "@/core/write/csv.ts";
import { periodRows } from "@/engine/look/period-rows.ts";
import { periodOfFeed } from "@/routes/feeds.ts";
import { getFeed } from "@/store/feeds.ts";
import { dayOf } from "@/store/loads.ts";
import { periodOf } from "@/store/period.ts";

export const GET = handle(periodOfFeed, async ({ params, query }) => {
  const { name } = await getFeed(db(), params.feed);
  const days = daysAsked(query.from, query.until, dayOf(new Date()));
  const period = await periodOf(db(), name, days);
  if (query.as === "json") return { period };
  const text = periodRows(period)
    .map((row) => csvRow(row, true))
    .join("");
  return new Response(text, {
    headers: {
      "content-type": "text/csv; charset=utf-8",
      "content-disposition": `attachment; filename="${name}-${days.from}-${days.until}.csv"`,
    },
  });
});
