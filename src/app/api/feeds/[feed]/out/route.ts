import { db, handle } from "@/app/server.ts";
import { outOf } from "@/engine/out/out.ts";
import { recordsOut } from "@/routes/feeds.ts";

/**
 * Streamed as it is read. What is wrong before the first bytes is an answer in words; where it fails half-way the
 * answer breaks off, so that nobody takes it for whole.
 */
export const GET = handle(recordsOut, async ({ params, query }) => {
  const out = await outOf(db(), params.feed, query);
  const { readable, writable } = new TransformStream<Uint8Array, Uint8Array>();
  const writer = writable.getWriter();
  let begin = (): void => {};
  const begun = new Promise<void>((resolve) => (begin = resolve));
  const work = out.pack(async (bytes) => {
    begin();
    await writer.write(bytes);
  });
  work
    .then(
      () => writer.close(),
      (error: unknown) => writer.abort(error),
    )
    .catch(() => {});
  await Promise.race([begun, work]);
  return new Response(readable, {
    headers: { "content-type": out.type, "content-disposition": `attachment; filename="${out.name}"` },
  });
});
