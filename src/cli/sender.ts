import { SieveError, counted } from "@/core/kernel/problem.ts";
import { destinationSchema, destinationWords, type Destination } from "@/core/write/files/destination.ts";
import { openDb } from "@/store/db.ts";
import { getSender, putSender, sendingsTo, type Sender, type Sending } from "@/store/senders.ts";

export interface SenderFlags {
  readonly folder?: string;
  readonly url?: string;
  readonly connection?: string;
  readonly objectStorage?: boolean;
  readonly region?: string;
  readonly nowhere?: boolean;
}

/** The destination that is said; undefined where none is. Throws `usage`. */
function destinationOf({
  folder,
  url,
  connection,
  objectStorage,
  region,
  nowhere,
}: SenderFlags): Destination | null | undefined {
  if ([folder, url, nowhere].filter((said) => said !== undefined).length > 1) {
    throw new SieveError("usage", "Files for a sender go to one place.", {
      hint: "Say --folder, --url or --nowhere.",
    });
  }
  if (url === undefined && (connection !== undefined || objectStorage || region !== undefined)) {
    throw new SieveError("usage", "--connection, --object-storage and --region are of an address.", {
      hint: "Say --url too.",
    });
  }
  if (nowhere) return null;
  if (folder === undefined && url === undefined) return undefined;
  const said = folder !== undefined ? { to: "folder", folder } : addressOf();
  const read = destinationSchema.safeParse(said);
  if (read.success) return read.data;
  throw new SieveError("usage", `Files can't go to “${folder ?? url}”.`, {
    detail: read.error.issues.map((i) => i.message).join(" "),
    hint: "A folder is a name, or names with / between, of letters, digits, points and hyphens; an address begins with http.",
  });

  function addressOf(): object {
    return { to: "address", url, connection, as: objectStorage ? "object storage" : "basic", region };
  }
}

const sendingLine = ({ id, beganAt, endedAt, records, destination, problem }: Sending): string => {
  const what = !endedAt ? "was broken off" : problem === "" ? counted(records, "record") : `nothing went. ${problem}`;
  return `  sending ${id}, ${beganAt.toISOString().slice(0, 16).replace("T", " ")}, to ${destinationWords(destination)}: ${what}\n`;
};

function words({ name, contact, address, held, withThem, destination }: Sender, sendings: readonly Sending[]): string {
  const to = destination ? destinationWords(destination) : "nowhere by themselves";
  const whom = [contact, address].filter(Boolean).join(", ");
  return `${name}${whom === "" ? "" : ` (${whom})`}: ${held} held, ${withThem} with it; files for it go to ${to}\n${sendings.map(sendingLine).join("")}`;
}

/** Shows a sender, after saying where files for it go, where that is asked for. Throws `no-sender`, `usage`. */
export async function sender(name: string, flags: SenderFlags): Promise<void> {
  const destination = destinationOf(flags);
  const db = openDb(undefined, 2);
  try {
    if (destination !== undefined)
      await putSender(db, name, { ...(await getSender(db, name)), destination }, "command line");
    process.stdout.write(words(await getSender(db, name), await sendingsTo(db, name)));
  } finally {
    await db.end();
  }
}
