import { Command, CommanderError } from "commander";
import { errorLines, SieveError } from "@/core/kernel/problem.ts";
import { EXIT } from "./exit.ts";
import { addFeedCommands } from "./feed-commands.ts";
import { addFileCommands } from "./file-commands.ts";
import { addLoadCommands } from "./load-commands.ts";
import { addRecordCommands } from "./record-commands.ts";
import { addSenderCommands } from "./sender-commands.ts";

const program = new Command("sieve")
  .description("Good Sieve from a shell: reads, sifts and loads deliveries.")
  .exitOverride()
  .configureOutput({ writeErr: (text) => process.stderr.write(text) });

addFileCommands(program);
addLoadCommands(program);
addRecordCommands(program);
addSenderCommands(program);
addFeedCommands(program);
program
  .command("docs", { hidden: true })
  .description("Write the published JSON Schema of the plan.")
  .action(async () => (await import("./docs.ts")).writeDocs());

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
      error instanceof SieveError && ["usage", "file-missing", "plan-invalid", "out-unfit"].includes(error.code)
        ? EXIT.usage
        : EXIT.failure;
  }
}
