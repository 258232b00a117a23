import { db, handle } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { loadReport } from "@/routes/loads.ts";
import { getLoad } from "@/store/loads.ts";

export const GET = handle(loadReport, async ({ params }) => {
  const load = await getLoad(db(), params.id);
  if (!load.report) throw new SieveError("no-report", `Load ${load.id} is ${load.state} and has no report.`);
  return new Response(`${JSON.stringify(load.report, null, 2)}\n`, {
    headers: {
      "content-type": "application/json",
      "content-disposition": `attachment; filename="${load.feed}-load-${load.id}.json"`,
    },
  });
});
