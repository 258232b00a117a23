import { db, handle } from "@/app/server.ts";
import { streamed } from "@/app/streamed.ts";
import { outOf } from "@/engine/out/out.ts";
import { recordsOut } from "@/routes/out.ts";

export const GET = handle(recordsOut, async ({ params, query }) => {
  const out = await outOf(db(), params.feed, query);
  return await streamed((into) => out.pack(into), out);
});
