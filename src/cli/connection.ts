import { SieveError } from "@/core/kernel/problem.ts";
import { dropConnection, listConnections, putConnection } from "@/store/connections.ts";
import { openDb } from "@/store/db.ts";

const MOST_ADDRESS = 4000;

/** The address comes by standard input, so that no list of processes and no history of a shell has it. */
async function addressGiven(): Promise<string> {
  let text = "";
  for await (const part of process.stdin) {
    text += String(part);
    if (text.length > MOST_ADDRESS) break;
  }
  if (text.trim() === "" || text.length > MOST_ADDRESS) {
    throw new SieveError("usage", "The connection's address is to come by standard input, in one line.", {
      hint: "npm run -s sieve -- connection put station < file-with-the-address",
    });
  }
  return text.trim();
}

/** Makes, lists or takes away connections; what is in them is never shown. */
export async function connection(act: string, name: string | undefined): Promise<void> {
  const db = openDb(undefined, 1);
  try {
    if (act === "list") {
      const all = await listConnections(db);
      for (const c of all) process.stdout.write(`${c.name}: ${c.kind}, of the ${c.from}\n`);
      if (all.length === 0) process.stdout.write("there is no connection\n");
      return;
    }
    if (name === undefined || (act !== "put" && act !== "drop")) {
      throw new SieveError("usage", "Say put, list or drop, and for put and drop the connection’s name.");
    }
    if (act === "drop") {
      await dropConnection(db, name);
      process.stdout.write(`the connection ${name} is gone\n`);
      return;
    }
    const made = await putConnection(db, name, await addressGiven(), "command line");
    process.stdout.write(
      `the connection ${made.name} to a ${made.kind === "http" ? "web address" : "database"} is kept, encrypted\n`,
    );
  } finally {
    await db.end();
  }
}
