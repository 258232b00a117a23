import { expect, it } from "vitest";
import { recoverAll } from "@/engine/copies/recover.ts";
import { KeyedSequence } from "../support/keyed-sequence.ts";
import { useFar, type FarName } from "../support/far.ts";
import { runSequences, sequences } from "../support/sequence.ts";
import type { System } from "../support/system.ts";

/** Tables beside a plan's own which have the same, here and in other databases: whatever is loaded, killed, released and undone, they stay alike. */

const far = useFar();

const COUNT = 8;

class AlikeSequence extends KeyedSequence {
  protected override readonly alike = 4;

  constructor(
    system: System,
    feed: string,
    mode: "upsert" | "append",
    private readonly connection: FarName,
    roll: () => number,
  ) {
    const key = ["id"];
    const copy = (table: string): object => ({ connection, table: `${system.url.split("/").at(-1)}_${table}` });
    const load = {
      copies: [copy(feed)],
      further: [
        { target: `${feed}_first`, turn: "before", key },
        {
          target: `${feed}_some`,
          key,
          where: "true",
          fields: [{ name: "id" }, { name: "label", of: "name" }, { name: "n" }],
        },
        { target: `${feed}_past`, key, mode: "history", copies: [copy(`${feed}_past`)] },
      ],
    };
    super(system, feed, mode, roll, { load });
  }

  // Another program writes one of the tables alone.
  protected override readonly acts = [
    () => this.load(),
    () => this.load(),
    () => this.release(),
    () => this.release(),
    () => this.discard(),
    () => this.undo(),
    () => this.undo(),
  ];

  protected override async compare(): Promise<void> {
    await super.compare();
    const rows = async (table: string, name: string, where = "true"): Promise<unknown[]> =>
      (
        await this.system.db.query(
          `select id, ${name} as name, n, _load, _record from target.${table} where ${where} order by id`,
        )
      ).rows;
    const own = await rows(this.feed, "name");
    expect(await rows(`${this.feed}_first`, "name"), this.words).toEqual(own);
    expect(await rows(`${this.feed}_some`, "label"), this.words).toEqual(own);
    expect(await rows(`${this.feed}_past`, "name", "valid_until is null"), this.words).toEqual(own);
    await this.compareCopies();
  }

  private async compareCopies(): Promise<void> {
    // A worker that dies as it commits leaves the rest to others, of which there are none here.
    await recoverAll(this.system.db);
    for (const [table, columns] of [
      [this.feed, "id, name, n"],
      [`${this.feed}_past`, "id, name, n, valid_from, valid_until"],
    ] as const) {
      const query = (from: string): string => `select ${columns} from ${from} order by ${columns}`;
      const copy = `${this.system.url.split("/").at(-1)}_${table}`;
      const { rows } = await far.db(this.connection).query(query(copy));
      expect(rows, this.words).toEqual((await this.system.db.query(query(`target.${table}`))).rows);
    }
  }

  override async run(): Promise<void> {
    await far.connect(this.system.db);
    await super.run();
  }
}

it(
  `${sequences(COUNT)} random sequences leave all tables of a plan alike, and its own as a simple model says`,
  { timeout: 300_000 + sequences(COUNT) * 4000 },
  () =>
    runSequences(
      COUNT,
      (system, s, roll) =>
        new AlikeSequence(
          system,
          `alike_${s}`,
          s % 3 === 2 ? "append" : "upsert",
          s % 2 === 0 ? "prepares" : "commits",
          roll,
        ),
    ),
);
