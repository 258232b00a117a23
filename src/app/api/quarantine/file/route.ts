import { z } from "zod";
import { db, route } from "@/app/server.ts";
import { heldQuery } from "../query.ts";
import { csvRow } from "@/core/write/csv.ts";
import { listHeld } from "@/store/held.ts";

const form = z.object({ for: z.enum(["program", "spreadsheet"]).default("spreadsheet") });

/**
 * Held records as CSV for their sender: file, line, problems, then the cells as they arrived; made safe for a
 * spreadsheet, or exact for a program.
 */
export const GET = route(async (request) => {
  const asked = Object.fromEntries(new URL(request.url).searchParams);
  const { after: _, limit: __, ...filter } = heldQuery.parse(asked);
  const safe = form.parse(asked).for === "spreadsheet";
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
