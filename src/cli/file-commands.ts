import type { Command } from "commander";
import { balanceLine } from "@/core/kernel/ledger.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { CONTRACT_STANDARDS, giveContract } from "@/core/interop/contract.ts";
import { OUTPUT_IDS } from "@/core/write/records/index.ts";
import { EXIT } from "./exit.ts";
import { readFiles } from "./read.ts";
import { readSettings, wholeNumber, withReadFlags, type ReadFlags } from "./read-flags.ts";
import { parametersOf } from "./run-flags.ts";
import { dayGiven, loadPlan, siftFiles, type SiftOutputs } from "./sift.ts";

interface SiftFlags {
  plan: string;
  list?: string[];
  day?: string;
  parameter?: string[];
}

function addReadCommands(program: Command): void {
  withReadFlags(
    program
      .command("read")
      .description("Show the records of files as JSON Lines, and what was detected on standard error.")
      .argument("<file...>", "the files"),
  ).action(async (files: string[], o: ReadFlags) => {
    await readFiles(files, readSettings(o));
  });

  withReadFlags(
    program
      .command("profile")
      .description("Look at every record of files and say what is in each column, as JSON.")
      .argument("<file...>", "the files of one delivery"),
  ).action(async (files: string[], o: ReadFlags) => {
    const { profileFiles } = await import("./profile.ts");
    const { profile, read } = await profileFiles(files, readSettings(o));
    process.stdout.write(`${JSON.stringify({ ...profile, read: read[0] ?? null }, null, 2)}\n`);
  });

  withReadFlags(
    program
      .command("propose")
      .description("Propose a plan for files like these; the evidence for each line goes to standard error.")
      .argument("<file...>", "the files of one delivery")
      .option("--feed <name>", "the feed's name", "new_feed")
      .option("--list <name=file...>", "reference lists that their values may be in: a look-up is proposed for each"),
  ).action(async (files: string[], o: ReadFlags & { feed: string; list?: string[] }) => {
    const { proposeFor } = await import("./profile.ts");
    const { feed, list, ...flags } = o;
    process.stdout.write(`${JSON.stringify(await proposeFor(files, feed, readSettings(flags), list), null, 2)}\n`);
  });
}

/** Adds the commands that need no database: they read files, and write files. */
export function addFileCommands(program: Command): void {
  program.commandsGroup("Files, without a database:");
  addReadCommands(program);
  program
    .command("sift")
    .description("Take files through a plan without a database: good records, held records and a report.")
    .argument("<file...>", "the files of one delivery")
    .requiredOption("--plan <plan.json>", "the plan")
    .option(
      "--good <good.csv>",
      "where good records go, by the name's ending: CSV, TSV, JSON, JSON Lines, XML, Parquet, Avro, XLSX; or a folder",
    )
    .option("--format <name>", `the format of good records: ${OUTPUT_IDS.join(", ")}`)
    .option("--partition <fields>", "fields by which good records go into folders, such as partner,collected_on:month")
    .option("--records <n>", "a file has no more good records", wholeNumber)
    .option("--held <held.csv>", "where held records go, with their problems")
    .option("--report <report.json>", "where the report goes")
    .option("--list <name=file...>", "reference lists that the plan asks, or compares with")
    .option("--day <2026-05-31>", "what formulas call the day of the load; today unless said")
    .option("--parameter <name=value...>", "values of the plan's parameters; the others are as the plan has them")
    .action(async (files: string[], options: SiftFlags & SiftOutputs) => {
      const { plan, list, day, parameter, ...outputs } = options;
      const on = day === undefined ? undefined : dayGiven(day);
      const report = await siftFiles(await loadPlan(plan), files, outputs, list, on, parametersOf(parameter));
      process.stderr.write(`${balanceLine(report.balance).replace(" inserted", " good")}\n`);
      const closed = report.gates.filter((g) => !g.passed);
      for (const gate of closed) process.stderr.write(`stopped at the gate “${gate.gate}”: ${gate.message}\n`);
      if (closed.length > 0) process.exitCode = EXIT.stopped;
    });

  program
    .command("match")
    .description("Find records that are one, within files or against others: pairs with their evidence, and clusters.")
    .argument("<file...>", "the files of one delivery")
    .requiredOption("--plan <plan.json>", "the plan; without a match section, one is proposed")
    .option("--against <file...>", "known records, read by the same plan")
    .option("--pairs <pairs.csv>", "where pairs go: lines, score, band, and each field's bits of evidence")
    .option("--clusters <clusters.csv>", "where clusters go, a line for each record of one")
    .option("--kept <kept.csv>", "where the kept records go")
    .option("--report <report.json>", "where the counts and the model go")
    .option("--list <name=file...>", "reference lists that the plan asks, or compares with")
    .action(
      async (
        files: string[],
        options: { plan: string; against?: string[]; list?: string[] } & Record<string, string>,
      ) => {
        const { matchFiles } = await import("./match.ts");
        const { plan, against, list, ...outputs } = options;
        await matchFiles(await loadPlan(plan), files, against ?? [], outputs, list);
      },
    );

  program
    .command("contract")
    .description("Give a plan's contract out in an open standard; what it can't say goes to standard error.")
    .argument("<plan.json>", "the plan")
    .requiredOption("--as <standard>", CONTRACT_STANDARDS.join(", "))
    .action(async (path: string, options: { as: string }) => {
      const standard = CONTRACT_STANDARDS.find((s) => s === options.as);
      if (!standard) {
        throw new SieveError("usage", `“${options.as}” is not a standard for contracts.`, {
          hint: `Give one of ${CONTRACT_STANDARDS.join(", ")}.`,
        });
      }
      const { document, lost } = giveContract(await loadPlan(path), standard);
      for (const line of lost) process.stderr.write(`can't be said: ${line}\n`);
      process.stdout.write(`${JSON.stringify(document, null, 2)}\n`);
    });
}
