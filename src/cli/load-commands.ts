import type { Command } from "commander";
import type { RunFlags } from "./run-flags.ts";
import type { AgainOptions } from "./run.ts";
import { dayGiven } from "./sift.ts";
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

function addUndoCommands(program: Command): void {
  program
    .command("writings")
    .description("List the writings of a feed's target: what changed it, who, when and why, the latest first.")
    .argument("<feed>", "the feed's name")
    .action(async (feed: string) => {
      const { tellWritings } = await import("./undo.ts");
      await tellWritings(feed);
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
}

/** Adds the commands that load, and that look at loads and take them back. */
export function addLoadCommands(program: Command): void {
  program.commandsGroup("Loads:");
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

  addUndoCommands(program);
}
