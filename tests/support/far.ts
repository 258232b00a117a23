import { afterAll, beforeAll, inject } from "vitest";
import { openDb, type Db } from "@/store/db.ts";
import { putConnection } from "@/store/connections.ts";
import { makeFarDatabase } from "../../scripts/lib/cluster.mjs";
import { newName } from "./system.ts";

/** Databases beside the store, one on a server that can prepare transactions, and one on a server that can't. */
export interface FarDatabases {
  /** By the name of the connection: `prepares` and `commits`. */
  db(connection: FarName): Db;
  admin(connection: FarName): Db;
  /** Has a store know the connections. */
  connect(store: Db): Promise<void>;
}
export type FarName = "prepares" | "commits";

/** Makes them for the tests of one file, and a key for secrets, which workers that are started later have too. */
export function useFar(): FarDatabases {
  process.env["SIEVE_KEY"] = Buffer.alloc(32, 7).toString("base64");
  const made = new Map<FarName, { url: string; db: Db; admin: Db }>();
  beforeAll(() => {
    const clusters = [
      ["prepares", inject("cluster")],
      ["commits", inject("far")],
    ] as const;
    for (const [name, cluster] of clusters) {
      const { url, admin } = makeFarDatabase(cluster, newName());
      const far = { url, db: openDb(url, 4), admin: openDb(admin, 2) };
      made.set(name, far);
    }
  });
  afterAll(async () => {
    for (const { db, admin } of made.values()) await Promise.all([db.end(), admin.end()]);
  });
  return {
    db: (connection) => made.get(connection)!.db,
    admin: (connection) => made.get(connection)!.admin,
    async connect(store) {
      for (const [name, { url }] of made) await putConnection(store, name, url, "test");
    },
  };
}
