import { db, handle } from "@/app/server.ts";
import { readPartitions } from "@/core/write/files/partition.ts";
import { countRows } from "@/engine/out/records.ts";
import { countOut } from "@/routes/feeds.ts";
import { planInForce } from "@/store/feeds.ts";

export const GET = handle(countOut, async ({ params, query: { partition, load } }) => {
  const { document } = await planInForce(db(), params.feed);
  const partitions = readPartitions(partition, document.contract.fields);
  return { counted: await countRows(db(), document, { partitions, load }) };
});
