import type { CopyCounts } from "@/core/plan/copies.ts";
import { companionOf, type Client, type Companion } from "@/store/db.ts";
import { COPY_LOCK } from "@/store/locks.ts";
import { settleCopied, storeMark } from "@/store/target-copies.ts";
import { dropBrought, type Brought } from "./apply.ts";
import { canPrepare, connectFar, endFar, farFault, type Far } from "./far.ts";
import { preparedName, recover } from "./recover.ts";

/** What one other database is given in the course of one transaction of the store. */
export interface Along {
  readonly connection: string;
  /** Commits each statement: what must be there however the transaction ends. */
  readonly beside: Far;
  /** The transaction that is committed together with the store's. */
  readonly within: Far;
  readonly how: CopyCounts["how"];
  /** The writing by which the transaction is known there. */
  readonly writing: number;
  readonly mark: string;
  readonly brought: Brought[];
}

/** What goes along with one transaction of the store into other databases. */
export class CopySession implements Companion {
  private readonly all = new Map<string, Along>();
  readonly counts: CopyCounts[] = [];

  constructor(private readonly client: Client) {}

  /** The session of the transaction that a client is in. */
  static of(client: Client): CopySession {
    return companionOf(client, () => new CopySession(client));
  }

  /** A transaction in the database of a connection, begun for a writing where there is none yet. */
  async along(connection: string, writing: number): Promise<Along> {
    const { client } = this;
    await client.query("select pg_advisory_xact_lock($1, $2)", [COPY_LOCK, writing]);
    const known = this.all.get(connection);
    if (known) return known;
    const beside = await connectFar(client, connection);
    let within: Far | undefined;
    try {
      await recover(client, beside, connection);
      within = await connectFar(client, connection);
      const how = (await canPrepare(within)) ? "two phases" : "in order";
      await within.query("begin");
      const mark = await storeMark(client);
      const along: Along = { connection, beside, within, how, writing, mark, brought: [] };
      this.all.set(connection, along);
      return along;
    } catch (error) {
      await endFar(beside);
      if (within) await endFar(within);
      throw farFault(error, connection, "What is changed together with the target");
    }
  }

  /** Prepares those that can be, then commits the others: the store's own commit is the next thing that happens. */
  async prepare(): Promise<void> {
    const all = [...this.all.values()];
    const [first, then] = [all.filter((a) => a.how === "two phases"), all.filter((a) => a.how === "in order")];
    // What the store itself would refuse at its end must not come after others have committed.
    if (then.length > 0) await this.client.query("set constraints all immediate");
    for (const a of [...first, ...then]) {
      const end = a.how === "in order" ? "commit" : `prepare transaction '${preparedName(a.mark, a.writing)}'`;
      await a.within.query(end).catch((error: unknown) => {
        throw farFault(error, a.connection, "Committing together with the target");
      });
    }
  }

  async commit(): Promise<void> {
    for (const a of this.all.values()) {
      try {
        if (a.how === "two phases") await a.within.query(`commit prepared '${preparedName(a.mark, a.writing)}'`);
        for (const b of a.brought) await dropBrought(a.beside, b);
        await settleCopied(this.client, a.connection, { only: a.brought.map((b) => b.writing) });
      } catch {
        // The other database has all it needs: whoever connects to it next commits it.
      }
    }
    await this.end();
  }

  /** Ends what is there as the store has it by now, where it can be asked; else whoever connects next does. */
  async rollback(): Promise<void> {
    const { client } = this;
    for (const a of this.all.values()) {
      await a.within.query("rollback").catch(() => {});
      try {
        await client.query("begin");
        await recover(client, a.beside, a.connection);
        await client.query("commit");
      } catch {
        await client.query("rollback").catch(() => {});
      }
    }
    await this.end();
  }

  private async end(): Promise<void> {
    for (const a of this.all.values()) {
      await endFar(a.within);
      await endFar(a.beside);
    }
    this.all.clear();
  }
}
