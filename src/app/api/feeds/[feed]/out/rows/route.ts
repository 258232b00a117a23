import { db, handle } from "@/app/server.ts";
import { fieldsGoingOut } from "@/core/plan/target-fields.ts";
import { isOfLoad } from "@/core/write/files/contents.ts";
import { readPartitions } from "@/core/write/files/partition.ts";
import { countOfLoad, countRows } from "@/engine/out/records.ts";
import { countOut } from "@/routes/out.ts";
import { planInForce } from "@/store/feeds.ts";

export const GET = handle(countOut, async ({ params, query: { partition, load, what } }) => {
  if (isOfLoad(what) && load !== undefined) {
    return { counted: await countOfLoad(db(), params.feed, load, what) };
  }
  const { document } = await planInForce(db(), params.feed);
  const partitions = readPartitions(partition, fieldsGoingOut(what, document));
  return { counted: await countRows(db(), document, { what: what === "held" ? what : "rows", partitions, load }) };
});
