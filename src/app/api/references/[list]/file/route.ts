import { db, handle } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { plainNameSchema } from "@/core/plan/name.ts";
import { bringListIn, listFile } from "@/routes/references.ts";
import { csvRow } from "@/core/write/csv.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { fileOf } from "@/engine/threads/spool.ts";
import { getReference, listReferences, makeReference, readReference, replaceEntries } from "@/store/references.ts";

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
  if (!plainNameSchema.safeParse(list).success) {
    throw new SieveError("usage", `“${list}” is no name for a list.`, {
      hint: "Lower-case letters, digits and underscores, beginning with a letter.",
    });
  }
  const { path, remove } = await fileOf(piecesOf(request));
  try {
    const limits = { ...lookLimits(), signal: request.signal };
    const { columns, entries } = await apart("entries of a file", { path, name: asked.file }, limits);
    const there = (await listReferences(db())).find((r) => r.name === list);
    if (there) {
      // Met by name, so that columns may stand in another order.
      const missing = there.shape.columns.filter((c) => !columns.includes(c));
      if (missing.length > 0) {
        throw new SieveError("list-invalid", `The file has no column ${missing.join(", ")}.`, {
          detail: `It has ${columns.join(", ")}.`,
          hint: "The next version of a list has the columns that the list has.",
        });
      }
      const order = there.shape.columns.map((c) => columns.indexOf(c));
      const version = await replaceEntries(
        db(),
        list,
        there.version,
        entries.map((cells) => order.map((i) => cells[i]!)),
        asked.note || `all entries from ${asked.file}`,
        "steward",
      );
      return { list: await getReference(db(), list), version, before: there.version };
    }
    const { accepted, since, until } = asked;
    const shape = {
      columns,
      key: asked.key && columns.includes(asked.key) ? asked.key : columns[0]!,
      ...(accepted && columns.includes(accepted) ? { accepted } : {}),
      ...(since && columns.includes(since) ? { since } : {}),
      ...(until && columns.includes(until) ? { until } : {}),
    };
    await makeReference(
      db(),
      { name: list, title: asked.title || list, about: asked.about, shape },
      entries,
      "steward",
      `brought in from ${asked.file}`,
    );
    return { list: await getReference(db(), list), version: 1, before: 0 };
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
