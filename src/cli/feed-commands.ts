import type { Command } from "commander";
import type { ListFlags } from "./list.ts";
import type { NoticesFlags } from "./notices.ts";
import { wholeNumber } from "./read-flags.ts";
import type { RetentionOptions } from "./room.ts";
import { loadPlan } from "./sift.ts";

/** Adds the commands about feeds, and what they share. */
export function addFeedCommands(program: Command): void {
  program.commandsGroup("Feeds and what they share:");
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
    .command("connection")
    .description("Make, list or take away connections to other databases and addresses, which sources name.")
    .argument("<act>", "put (its address comes by standard input), list or drop")
    .argument("[name]", "what sources call it")
    .action(async (act: string, name: string | undefined) => {
      const { connection } = await import("./connection.ts");
      await connection(act, name);
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
