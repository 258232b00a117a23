import { db, handle } from "@/app/server.ts";
import { streamed } from "@/app/streamed.ts";
import { queryOut } from "@/engine/out/query.ts";
import { queryAsFile } from "@/routes/out.ts";

export const GET = handle(queryAsFile, async ({ query: { connection, sql, ...asked } }) => {
  const out = await queryOut(db(), { connection, sql }, asked);
  return await streamed((into) => out.pack(into), out);
});
