import { Command, CommanderError } from "commander";
import { errorLines, grouped, SieveError } from "@/core/problem.ts";
import { loadPlan, siftFiles } from "./sift.ts";
import { readFiles } from "./read.ts";

/** Exit codes: 0 done, 1 a gate stopped the load, 2 a usage error, 3 a failure. */
const EXIT = { stopped: 1, usage: 2, failure: 3 } as const;

const program = new Command("sieve")
  .description("Good Sieve from a shell: reads, sifts and loads deliveries.")
  .exitOverride()
  .configureOutput({ writeErr: (text) => process.stderr.write(text) });

program
  .command("sift")
  .description("Take files through a plan without a database: good records, held records and a report.")
  .argument("<file...>", "the files of one delivery")
  .requiredOption("--plan <plan.json>", "the plan")
  .option("--good <good.csv>", "where good records go")
  .option("--held <held.csv>", "where held records go, with their problems")
  .option("--report <report.json>", "where the report goes")
  .action(async (files: string[], options: { plan: string; good?: string; held?: string; report?: string }) => {
    const { plan, ...outputs } = options;
    const report = await siftFiles(await loadPlan(plan), files, outputs);
    const { read, outcomes } = report.balance;
    process.stderr.write(
      `${grouped(read)} read = ${grouped(outcomes.inserted)} good + ${grouped(outcomes.held)} held\n`,
    );
    const closed = report.gates.filter((g) => !g.passed);
    for (const gate of closed) process.stderr.write(`stopped at the gate “${gate.gate}”: ${gate.message}\n`);
    if (closed.length > 0) process.exitCode = EXIT.stopped;
  });

program
  .command("read")
  .description("Show the records of files as JSON Lines, and what was detected on standard error.")
  .argument("<file...>", "the files")
  .option("--delimiter <text>", "what stands between cells")
  .option("--quote <char>", 'the quote character, or "" for none')
  .option("--escape <char>", "what stands before a quote inside a value")
  .option("--no-header", "the first line is a record; columns are 1, 2, …")
  .option("--skip <lines>", "lines to pass over first", wholeNumber)
  .option("--encoding <name>", "the encoding")
  .action(
    async (
      files: string[],
      o: { delimiter?: string; quote?: string; escape?: string; header: boolean; skip?: number; encoding?: string },
    ) => {
      await readFiles(files, { ...o, delimiter: o.delimiter?.replaceAll("\\t", "\t") });
    },
  );

program
  .command("load")
  .description("Load files into a feed of the database.")
  .argument("<feed>", "the feed's name")
  .argument("<file...>", "the files of one delivery")
  .option("--again", "load although the same bytes were loaded before")
  .option("--sender <name>", "who sent the files")
  .action(async (feed: string, files: string[], options: { again?: boolean; sender?: string }) => {
    const { loadFiles } = await import("./load.ts");
    process.exitCode = await loadFiles(feed, files, options);
  });

program
  .command("feed")
  .description("Make a feed from a plan, or save the plan as the feed's next version.")
  .argument("<plan.json>", "the plan; it names the feed")
  .option("--title <text>", "what people call the feed")
  .option("--about <text>", "what comes in it")
  .option("--note <text>", "what this version of the plan changes", "made from a file")
  .action(async (path: string, options: { title?: string; about?: string; note: string }) => {
    const { openDb } = await import("@/store/db.ts");
    const { makeFeed, savePlan } = await import("@/store/feeds.ts");
    const plan = await loadPlan(path);
    const db = openDb(undefined, 2);
    try {
      await makeFeed(db, { name: plan.feed, title: options.title ?? plan.feed, about: options.about ?? "" });
      const { version } = await savePlan(db, plan.feed, plan, options.note, "command line");
      process.stdout.write(`feed ${plan.feed}, plan version ${version}\n`);
    } finally {
      await db.end();
    }
  });

program
  .command("docs", { hidden: true })
  .description("Write the published JSON Schema of the plan.")
  .action(async () => (await import("./docs.ts")).writeDocs());

function wholeNumber(text: string): number {
  if (!/^\d{1,6}$/.test(text)) {
    throw new SieveError("usage", `“${text}” is not a whole number.`, { hint: "Give digits, such as 3." });
  }
  return Number(text);
}

// A reader that closes the pipe early, as head does, is no failure.
process.stdout.on("error", (error: NodeJS.ErrnoException) => process.exit(error.code === "EPIPE" ? 0 : EXIT.failure));

try {
  await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError) {
    process.exitCode = error.exitCode === 0 ? 0 : EXIT.usage;
  } else {
    process.stderr.write(`${errorLines(error)}\n`);
    process.exitCode =
      error instanceof SieveError && ["usage", "file-missing", "plan-invalid"].includes(error.code)
        ? EXIT.usage
        : EXIT.failure;
  }
}
