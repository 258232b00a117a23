import { openDb } from "./db.ts";
import { migrate } from "./migrate.ts";

const db = openDb(undefined, 2);
const ran = await migrate(db);
await db.end();
process.stdout.write(ran === 0 ? "the store is up to date\n" : `ran ${ran} migration${ran === 1 ? "" : "s"}\n`);
