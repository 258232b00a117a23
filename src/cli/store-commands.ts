import { Command } from "commander";
import { OUTPUT_IDS } from "@/core/write/records/index.ts";
import type { AlikeFlags } from "./alike.ts";
import type { CopiesFlags } from "./copies.ts";
import type { ListFlags } from "./list.ts";
import type { MendsFlags } from "./mends.ts";
import type { NoticesFlags } from "./notices.ts";
import type { OutFlags } from "./out.ts";
import { wholeNumber } from "./read-flags.ts";
import type { RetentionOptions } from "./room.ts";
import type { RunFlags } from "./run-flags.ts";
import type { AgainOptions } from "./run.ts";
import type { SenderKeyFlags } from "./sender-key.ts";
import type { SenderFlags } from "./sender.ts";
import type { SendersFlags } from "./senders.ts";
import { dayGiven, loadPlan } from "./sift.ts";
import type { UndoOptions } from "./undo.ts";

/** The options that say what a run is given beside its plan. */
function withRunFlags(command: Command): Command {
  return command
    .option("--parameter <name=value...>", "values of the plan's parameters; the others are as the plan has them")
    .option("--without <check...>", "checks to be switched off, by key, such as site:required")
    .option("--without-step <number...>", "steps to be switched off, by number, from 1")
    .option("--without-look-up <name...>", "look-ups to be switched off")
    .option("--without-target <name...>", "further targets that get nothing")
    .option("--reason <words>", "why something is switched off");
}
/** Adds the commands of the database: of loads, of what came of them, and of what is kept. */
export function addStoreCommands(program: Command): void {
  withRunFlags(
    program
      .command("load")
      .description("Load files into a feed of the database.")
      .argument("<feed>", "the feed's name")
      .argument("<file...>", "the files of one delivery")
      .option("--again", "load although the same bytes were loaded before")
      .option("--sender <name>", "who sent the files"),
  ).action(async (feed: string, files: string[], options: { again?: boolean; sender?: string } & RunFlags) => {
    const { loadFiles } = await import("./load.ts");
    process.exitCode = await loadFiles(feed, files, options);
  });

  withRunFlags(
    program
      .command("again")
      .description("Run deliveries of a feed again by the plan in force, in their order: as a trial, or in earnest.")
      .argument("<feed>", "the feed's name")
      .option("--since <2026-05-31>", "all deliveries since this day")
      .option("--delivery <number...>", "instead, these deliveries")
      .option("--trial", "write nothing to the target: only say what each would come to"),
  ).action(async (feed: string, options: AgainOptions) => {
    const { runAgain } = await import("./run.ts");
    if (options.since !== undefined) dayGiven(options.since);
    process.exitCode = await runAgain(feed, options);
  });

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

  program
    .command("senders")
    .description(
      "List who delivers and what each owes; with --into, write what is held for each into a folder of its own.",
    )
    .option("--feed <feed>", "of this feed alone")
    .option("--sender <name>", "of this sender alone")
    .option("--json", "as JSON")
    .option(
      "--into <folder>",
      "write what is held, in the layouts in which they sent it, and a letter for each, as text and as a page to print",
    )
    .option("--given", "note that what was written is with its sender from now on")
    .option("--send", "send to each, where it wants its files, what is held and not with it yet, and note that it is")
    .action(async (flags: SendersFlags) => {
      const { senders } = await import("./senders.ts");
      await senders(flags);
    });

  program
    .command("notices")
    .description("List what plans have put on Today after loads and nobody has seen to yet.")
    .option("--seen <load>", "say first that somebody has seen to those of this load", wholeNumber)
    .option("--json", "as JSON")
    .action(async (flags: NoticesFlags) => {
      const { notices } = await import("./notices.ts");
      await notices(flags);
    });

  program
    .command("sender")
    .description("Show what is said of a sender, or say where files for it go.")
    .argument("<name>", "the sender's name, as it stands with deliveries")
    .option("--folder <folder>", "files for it go into this folder of SIEVE_OUT")
    .option("--url <address>", "files for it are put to this address, whose host is one of SIEVE_RECEIVER_HOSTS")
    .option("--connection <name>", "by the user and password of this connection")
    .option("--object-storage", "the address is an object storage's, and the connection its key and secret")
    .option("--region <name>", "the object storage's region")
    .option("--nowhere", "files for it go nowhere by themselves any more")
    .action(async (name: string, options: SenderFlags) => {
      const { sender } = await import("./sender.ts");
      await sender(name, options);
    });

  program
    .command("sender-key")
    .description("Make a key by which a sender brings its files itself; with no name, list the keys.")
    .argument("[sender]", "the sender's name, as it stands with deliveries")
    .option("--feed <feed>", "for this feed alone")
    .option("--end <number>", "end a key instead", wholeNumber)
    .action(async (sender: string | undefined, options: SenderKeyFlags) => {
      const { senderKey } = await import("./sender-key.ts");
      await senderKey(sender, options);
    });

  program
    .command("undo")
    .description("Undo a load, or another writing: rows that nobody has changed since are as they were before it.")
    .argument("<number>", "the load's number, or with --writing the writing's")
    .requiredOption("--reason <words>", "why")
    .option("--writing", "the number is a writing's: a load's, a release's, a decision's or an undo's")
    .option("--over-changed", "undo also rows that somebody has changed since")
    .option("--preview", "only say what it would do, and list the rows that would be left")
    .action(async (number: string, options: UndoOptions) => {
      const { undo } = await import("./undo.ts");
      process.exitCode = await undo(number, options);
    });

  program
    .command("writings")
    .description("List the writings of a feed's target: what changed it, who, when and why, the latest first.")
    .argument("<feed>", "the feed's name")
    .action(async (feed: string) => {
      const { tellWritings } = await import("./undo.ts");
      await tellWritings(feed);
    });

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
    .command("after")
    .description("List what is done after a load, and what came of it.")
    .argument("<load>", "the load's number")
    .option("--again <line>", "have one of it done again, such as 1:loaded")
    .action(async (load: string, options: { again?: string }) => {
      const { after } = await import("./find.ts");
      process.exitCode = await after(load, options);
    });

  program
    .command("verify")
    .description("Compute balances, quarantine and ledger again from the stored bytes, and say what differs.")
    .argument("[load]", "the load's number; all loads unless said")
    .action(async (load: string | undefined) => {
      const { verify } = await import("./verify.ts");
      process.exitCode = await verify(load);
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
    .command("list")
    .description("Ask a reference list that another system keeps, now; or make one, of a table or of a query.")
    .argument("<name>", "the list's name")
    .option("--table <schema.table>", "make it of this table of the database that the application works in")
    .option("--connection <name>", "make it of the database of this connection,")
    .option("--sql <query>", "by this query")
    .option("--title <text>", "what people call it")
    .option("--key <column>", "the column that is the key; the first unless said")
    .action(async (name: string, options: ListFlags) => {
      const { list } = await import("./list.ts");
      await list(name, options);
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
    .command("connection")
    .description("Make, list or take away connections to other databases and addresses, which sources name.")
    .argument("<act>", "put (its address comes by standard input), list or drop")
    .argument("[name]", "what sources call it")
    .action(async (act: string, name: string | undefined) => {
      const { connection } = await import("./connection.ts");
      await connection(act, name);
    });

  program
    .command("room")
    .description("Say what takes how much room, by feed, and how long it is kept.")
    .option("--take-away", "take away now what has expired, instead of at night")
    .action(async (options: { takeAway?: boolean }) => {
      const { room } = await import("./room.ts");
      await room(options.takeAway === true);
    });

  program
    .command("retention")
    .description("Say, or set, how long what is kept of a feed; what is not set stays as it is.")
    .argument("<feed>", "the feed's name")
    .option("--bytes <days>", "days after a delivery came, or ever")
    .option("--ledger <days>", "days after a load ended, or ever")
    .option("--settled <days>", "days after a held record was settled, or ever")
    .option("--undo <loads>", "loads that can be undone, counted back from the latest")
    .action(async (feed: string, options: RetentionOptions) => {
      const { retention } = await import("./room.ts");
      await retention(feed, options);
    });
}
