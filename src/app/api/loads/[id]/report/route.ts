import { db, route, wholeNumber } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { getLoad } from "@/store/loads.ts";

/** The load report as a file. */
export const GET = route<{ id: string }>(async (_, { id }) => {
  const load = await getLoad(db(), wholeNumber(id, "The load"));
  if (!load.report) throw new SieveError("no-report", `Load ${load.id} is ${load.state} and has no report.`);
  return new Response(`${JSON.stringify(load.report, null, 2)}\n`, {
    headers: {
      "content-type": "application/json",
      "content-disposition": `attachment; filename="${load.feed}-load-${load.id}.json"`,
    },
  });
});
