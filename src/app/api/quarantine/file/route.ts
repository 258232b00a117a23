import { db, handle } from "@/app/server.ts";
import { csvRow } from "@/core/write/csv.ts";
import { heldFile } from "@/routes/quarantine.ts";
import { listHeld } from "@/store/held.ts";

/** Held records for their sender: file, line, problems, then the cells as they arrived. */
export const GET = handle(heldFile, async ({ query: { after: _, limit: __, for: reader, ...filter } }) => {
  const safe = reader === "spreadsheet";
  return new Response(rows(filter, safe), {
    headers: {
      "content-type": "text/csv; charset=utf-8",
      "content-disposition": `attachment; filename="held${safe ? "-for-spreadsheets" : ""}.csv"`,
    },
  });
});

function rows(filter: Parameters<typeof listHeld>[1], safe: boolean): ReadableStream<Uint8Array> {
  const encoder = new TextEncoder();
  let after = "";
  let columns: string | null = null;
  return new ReadableStream({
    async pull(controller) {
      const page = await listHeld(db(), filter, after, 500);
      let text = "";
      for (const h of page) {
        // Files may differ in their columns: each change of columns has a heading of its own.
        const own = h.columns.join("\u0000");
        if (own !== columns) text += csvRow(["load", "file", "line", "problems", ...h.columns], safe);
        columns = own;
        text += csvRow(
          [String(h.load), h.file, String(h.line), h.problems.map((p) => p.message).join(" "), ...(h.cells ?? [])],
          safe,
        );
        after = `${h.load}:${h.record}`;
      }
      if (text !== "") controller.enqueue(encoder.encode(text));
      if (page.length < 500) controller.close();
    },
  });
}
