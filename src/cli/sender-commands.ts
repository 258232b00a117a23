import type { Command } from "commander";
import { wholeNumber } from "./read-flags.ts";
import type { SenderKeyFlags } from "./sender-key.ts";
import type { SenderFlags } from "./sender.ts";
import type { SendersFlags } from "./senders.ts";

/** Adds the commands about those who deliver. */
export function addSenderCommands(program: Command): void {
  program.commandsGroup("Senders:");
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
}
