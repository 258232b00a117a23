import type { Command } from "commander";
import { OUTPUT_IDS } from "@/core/write/records/index.ts";
import type { AlikeFlags } from "./alike.ts";
import type { CopiesFlags } from "./copies.ts";
import type { MendsFlags } from "./mends.ts";
import type { OutFlags } from "./out.ts";
import { wholeNumber } from "./read-flags.ts";

function addOut(program: Command): void {
  program
    .command("out")
    .description(
      "Write the rows of a feed's target, its records, or what a query gives, into a file or a folder; the path's ending says the format.",
    )
    .argument("<feed|query>", "the feed's name, or one query")
    .argument("<path>", "a file, or a folder for several files with their manifest")
    .option("--format <name>", OUTPUT_IDS.join(", "))
    .option("--gzip", "compress each file; a name that ends with .gz says it too")
    .option("--partition <fields>", "fields by which rows go into folders, such as partner,collected_on:month")
    .option("--records <n>", "a file has no more records", wholeNumber)
    .option("--megabytes <n>", "a new file is begun once one is so large", wholeNumber)
    .option("--name <pattern>", "names of the files: {feed}, {load}, {sender}, {day}, {n}")
    .option("--delimiter <text>", "delimited text: what stands between cells")
    .option("--encoding <name>", "delimited text: its encoding, such as windows-1252; UTF-8 unless said")
    .option("--root <name>", "XML: what its root element is called")
    .option("--record <name>", "XML: what the element of each record is called")
    .option("--load <load>", "only rows that this load wrote last", wholeNumber)
    .option("--accepted <load>", "instead, what this load accepted, as it made it", wholeNumber)
    .option(
      "--changed <load>",
      "instead, of what this load accepted only what was new or changed something",
      wholeNumber,
    )
    .option("--read <load>", "instead, all that this load read, with what became of each record and why", wholeNumber)
    .option("--held", "instead, what is held of the feed, with what is wrong; with --load, of that load")
    .option(
      "--connection <name>",
      "of a query: the connection whose database is asked, by its role; this one unless said",
    )
    .action(async (of: string, path: string, flags: OutFlags) => {
      const { out } = await import("./out.ts");
      await out(of, path, flags);
    });
}

/** Adds the commands about records: those of targets, and those that are held. */
export function addRecordCommands(program: Command): void {
  program.commandsGroup("Records:");
  program
    .command("find")
    .description(
      "Tell where a value stands in all feeds: rows with what was done to them, and records that are held, were held or wait.",
    )
    .argument("<value>", "a key or any text, exactly as it is")
    .option("--json", "everything as JSON")
    .action(async (value: string, options: { json?: boolean }) => {
      const { find } = await import("./find.ts");
      process.exitCode = await find(value, options);
    });

  program
    .command("copies")
    .description("Hold the copies of a feed's targets in other databases against them, row by row.")
    .argument("<feed>", "the feed")
    .option("--mend", "make each copy what its target is: what others changed there is written over")
    .option("--json", "as JSON")
    .action(async (feed: string, options: CopiesFlags) => {
      const { copies } = await import("./copies.ts");
      process.exitCode = await copies(feed, options);
    });

  program
    .command("mends")
    .description("List what people have mended by hand in a feed's held records, and which of it its plan could do.")
    .argument("<feed>", "the feed")
    .option("--json", "as JSON")
    .option("--plan <plan.json>", "write the plan with a step for each that it could do")
    .action(async (feed: string, options: MendsFlags) => {
      const { mends } = await import("./mends.ts");
      await mends(feed, options);
    });

  program
    .command("alike")
    .description(
      "List held records of earlier loads that may have come again in a load, beside what is most like them.",
    )
    .argument("<load>", "the number of the load", wholeNumber)
    .option("--close", "close those that are the same in all that was sound")
    .option("--json", "as JSON")
    .action(async (load: number, options: AlikeFlags) => {
      const { alike } = await import("./alike.ts");
      await alike(load, options);
    });

  addOut(program);
}
