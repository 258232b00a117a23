import { once } from "node:events";
import { detectDelimited, type ReadSettings } from "@/core/read/detect.ts";
import { rawText, readFile } from "@/core/read/source.ts";
import { arrivedCells, rawBytes } from "@/core/sift.ts";
import { fileSource } from "./files.ts";

/**
 * The records of files as JSON Lines on standard output, one object a record keyed by column; what
 * was detected on standard error, one JSON line a file.
 */
export async function readFiles(paths: readonly string[], settings: ReadSettings): Promise<void> {
  for (const path of paths) {
    const source = await fileSource(path);
    let columns: readonly string[] = [];
    const blocks = readFile(source, 0, settings, (reader, detected) => {
      columns = reader.columns ?? [];
      process.stderr.write(`${JSON.stringify(report(source.name, columns, detected))}\n`);
    });
    for await (const block of blocks) {
      const lines: string[] = [];
      for (let r = 0; r < block.count; r++) {
        const unreadable = block.unreadable.get(r);
        if (unreadable) {
          lines.push(
            JSON.stringify({
              unreadable: {
                reason: unreadable.reason,
                line: block.origin.line[r],
                bytes: [block.origin.start[r], block.origin.end[r]],
                raw: rawText(rawBytes(block, r)),
              },
            }),
          );
          continue;
        }
        // Assigning would make a prototype of a column called “__proto__”.
        lines.push(JSON.stringify(Object.fromEntries(arrivedCells(block, r).map((v, c) => [columns[c]!, v]))));
      }
      if (!process.stdout.write(`${lines.join("\n")}\n`)) await once(process.stdout, "drain");
    }
  }
}

function report(file: string, columns: readonly string[], detected: ReturnType<typeof detectDelimited>): object {
  return { file, format: "delimited", ...detected.options, columns, evidence: detected.evidence };
}
