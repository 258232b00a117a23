import { db, handle } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { bringListIn, listFile } from "@/routes/references.ts";
import { csvRow } from "@/core/write/csv.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { fileOf } from "@/engine/threads/spool.ts";
import { takeEntries } from "@/engine/look/take-list.ts";
import { needKeptHere } from "@/store/lists-asked.ts";
import { listReferences, readReference } from "@/store/references.ts";

const MOST_BYTES = 200 << 20;

/** The list's newest version as CSV: exact, so that it can be brought in again, or made safe for a spreadsheet. */
export const GET = handle(listFile, async ({ params: { list }, query }) => {
  const safe = query.for === "spreadsheet";
  const { columns, entries, version } = await readReference(db(), list);
  return new Response([columns, ...entries].map((cells) => csvRow(cells, safe)).join(""), {
    headers: {
      "content-type": "text/csv; charset=utf-8",
      "content-disposition": `attachment; filename="${list}-version-${version}${safe ? "-for-spreadsheets" : ""}.csv"`,
    },
  });
});

/** Brings a file in as the list's entries: a new list, or the next version of one that is there. */
export const PUT = handle(bringListIn, async ({ params: { list }, query: asked, request }) => {
  const there = (await listReferences(db())).some((r) => r.name === list);
  if (there) await needKeptHere(db(), list);
  const { path, remove } = await fileOf(piecesOf(request));
  try {
    const limits = { ...lookLimits(), signal: request.signal };
    const taken = await apart("entries of a file", { path, name: asked.file }, limits);
    const { key, accepted, since, until, title = "", about } = asked;
    const note = asked.note || `${there ? "all entries" : "brought in"} from ${asked.file}`;
    const parts = { key, accepted, since, until };
    return await takeEntries(db(), { name: list, title, about, parts, note }, taken, "steward");
  } finally {
    await remove();
  }
});

async function* piecesOf(request: Request): AsyncGenerator<Uint8Array> {
  if (!request.body) throw new SieveError("file-missing", "The request has no file.");
  let bytes = 0;
  for await (const piece of request.body as unknown as AsyncIterable<Uint8Array>) {
    bytes += piece.length;
    if (bytes > MOST_BYTES)
      throw new SieveError("file-too-large", "A reference list comes in a file of at most 200 MB.");
    yield piece;
  }
}
