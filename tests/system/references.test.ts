import { lookUpSchema } from "@/core/lookup/schema.ts";
import { proposedLookUp } from "@/engine/look/propose-look-up.ts";
import { describe, expect, it } from "vitest";
import { findRecords } from "@/engine/look/records.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { sampleDelivery } from "@/engine/look/sample.ts";
import { planInForce } from "@/store/feeds.ts";
import { listHeld } from "@/store/held.ts";
import { pairPlans } from "@/store/matches.ts";
import {
  changeReference,
  getReference,
  makeReference,
  notFound,
  proposals,
  readReference,
  referenceVersions,
  refuseProposal,
  replaceEntries,
  searchEntries,
  versionChanges,
  whereUsed,
} from "@/store/references.ts";
import { loadNow, newFeed, rows, useSystem } from "../support/system.ts";

const system = useSystem();

const SHAPE = { columns: ["code", "name"], key: "code" };

describe("a reference list", () => {
  it("keeps every version as it was", async () => {
    const { db } = system;
    await makeReference(
      db,
      { name: "sites", title: "Sites", about: "", shape: SHAPE },
      [
        ["A", "Alder Fen"],
        ["B", "Birk Hill"],
      ],
      "Ines",
    );
    const [entry] = (await searchEntries(db, "sites", "birk", 10)).entries;
    expect(
      await changeReference(
        db,
        "sites",
        1,
        {
          add: [
            ["B", "Birch Hill"],
            ["C", "Cold Fell"],
          ],
          remove: [entry!.id],
        },
        "spelled",
        "Ines",
      ),
    ).toBe(2);
    expect((await readReference(db, "sites", 1)).entries).toEqual([
      ["A", "Alder Fen"],
      ["B", "Birk Hill"],
    ]);
    expect((await readReference(db, "sites")).entries).toEqual([
      ["A", "Alder Fen"],
      ["B", "Birch Hill"],
      ["C", "Cold Fell"],
    ]);
    expect(await referenceVersions(db, "sites")).toMatchObject([
      { version: 2, note: "spelled", added: 2, removed: 1, entries: 3, madeBy: "Ines" },
      { version: 1, added: 2, removed: 0, entries: 2 },
    ]);
    expect(await versionChanges(db, "sites", 2)).toEqual({
      added: [
        ["B", "Birch Hill"],
        ["C", "Cold Fell"],
      ],
      removed: [["B", "Birk Hill"]],
    });
  });

  it("is not changed by someone who has seen an older version, nor by an entry without a key", async () => {
    const { db } = system;
    await expect(changeReference(db, "sites", 1, { add: [["D", "x"]], remove: [] }, "late", "Odo")).rejects.toThrow(
      "version 2 by now",
    );
    await expect(changeReference(db, "sites", 2, { add: [["", "x"]], remove: [] }, "no key", "Odo")).rejects.toThrow(
      "Entry 1 has no code.",
    );
    await expect(makeReference(db, { name: "sites", title: "", about: "", shape: SHAPE }, [], "Odo")).rejects.toThrow(
      "already",
    );
  });

  it("taken anew from a file changes only what differs", async () => {
    const { db } = system;
    const all = [
      ["A", "Alder Fen"],
      ["B", "Birch Hill"],
      ["D", "Down End"],
    ];
    expect(await replaceEntries(db, "sites", 2, all, "from a file", "Ines")).toBe(3);
    expect(await versionChanges(db, "sites", 3)).toEqual({ added: [["D", "Down End"]], removed: [["C", "Cold Fell"]] });
    expect(await replaceEntries(db, "sites", 3, all, "again", "Ines")).toBe(3);
  });
});

describe("a load that looks values up", () => {
  const lookup = [
    {
      how: "exact",
      name: "site",
      list: "sites",
      by: [{ field: "site", column: "code" }],
      bring: { site_name: "name" },
    },
  ];
  it("holds what has no partner, counts how all result, and keeps the list's version", async () => {
    const { db } = system;
    const text = (name: string): object => ({ name, type: "text", length: 40 });
    await newFeed(
      db,
      "visits",
      [{ name: "no", type: "integer" }, text("site"), text("site_name")],
      { key: ["no"] },
      { lookup, gates: [] },
    );
    expect(await whereUsed(db, "sites")).toEqual([
      { feed: "visits", title: "visits", lookUps: ["site"], formulas: [] },
    ]);
    const load = await loadNow(db, "visits", "no,site\n1,a\n2,B\n3,Z\n4,\n5,Z\n6,D\n");
    expect(load.error).toBeNull();
    const { balance, lookUps, drift } = load.report!;
    expect(balance).toMatchObject({ outcomes: { inserted: 4, held: 2 }, heldAt: { "look up": 2, check: 0 } });
    expect(lookUps).toMatchObject([
      {
        name: "site",
        list: "sites",
        version: 3,
        counts: { exact: 3, none: 2, empty: 1, several: 0, scored: 0 },
        unknown: [{ values: ["Z"], count: 2 }],
      },
    ]);
    // A field that a look-up fills needs no column.
    expect(drift).toEqual([]);
    expect((await rows(db, "visits", "no")).map((r) => r["site_name"])).toEqual([
      "Alder Fen",
      "Birch Hill",
      null,
      "Down End",
    ]);
    expect((await listHeld(db, { load: load.id })).map((h) => [h.at, h.problems[0]!.message])).toEqual([
      ["look up", "site “Z” is not in the list sites."],
      ["look up", "site “Z” is not in the list sites."],
    ]);
    expect(await notFound(db, "sites")).toEqual([{ values: ["Z"], count: 2, feed: "visits", lookUp: "site" }]);

    // The list goes on; the load's records are still shown as they were, and released by what is known now.
    const { version } = await getReference(db, "sites");
    const [alder] = (await searchEntries(db, "sites", "alder", 1)).entries;
    await changeReference(
      db,
      "sites",
      version,
      {
        add: [
          ["Z", "Zennor"],
          ["A", "Alderfen"],
        ],
        remove: [alder!.id],
      },
      "new",
      "Ines",
    );
    const page = await findRecords(db, load.id, { outcome: "loaded" });
    expect(page.records[0]!.values).toEqual(["1", "a", "Alder Fen"]);
    expect(await releaseRecords(db, [{ load: load.id, record: 2 }], "Ines")).toMatchObject([{ released: true }]);
    expect((await rows(db, "visits", "no"))[2]).toMatchObject({ no: 3, site: "Z", site_name: "Zennor" });
  });

  it("in formulas: steps and checks ask the list at the version that the load keeps", async () => {
    const { db } = system;
    const text = (name: string): object => ({ name, type: "text", length: 40 });
    await newFeed(
      db,
      "strolls",
      [text("site"), text("title")],
      {},
      {
        gates: [],
        cleanse: [{ do: "derive", in: ["title"], by: "fromList('sites', upper(site), 'name')" }],
        check: [{ name: "a site that is known", that: "inList('sites', upper(site))", on_failure: "hold" }],
      },
    );
    const load = await loadNow(db, "strolls", 'site\nb\nq\n""\n');
    expect(load).toMatchObject({ state: "loaded", held: 1, inserted: 2 });
    expect((await rows(db, "strolls", "site")).map((r) => [r["site"], r["title"]])).toEqual([
      ["b", "Birch Hill"],
      [null, null],
    ]);
    expect((await listHeld(db, { load: load.id }))[0]!.problems[0]!.message).toBe("Not so: a site that is known.");
    const { rows: kept } = await db.query("select version from sieve.load_reference where load = $1", [load.id]);
    const { version } = await getReference(db, "sites");
    expect(kept).toEqual([{ version }]);
    // The plan is told of where the list is used, and what is held is tried by the list as it is by then.
    expect((await whereUsed(db, "sites")).find((u) => u.feed === "strolls")!.formulas.map((f) => f.stage)).toEqual([
      "Cleanse",
      "Check",
    ]);
    await changeReference(db, "sites", version, { add: [["Q", "Quoin"]], remove: [] }, "one more", "Ines");
    expect(await releaseRecords(db, [{ load: load.id, record: 1 }], "Ines")).toMatchObject([{ released: true }]);
    const { document } = await planInForce(db, "strolls");
    const sample = await sampleDelivery(db, load.delivery, document, document.read, 10);
    expect(sample.rows.map((r) => r[0])).toEqual(["b", "q", ""]);
  });

  it("for words that mean the same: what is compared is one where the list says so, and the version is kept", async () => {
    const { db } = system;
    await makeReference(
      db,
      {
        name: "forms",
        title: "Forms",
        about: "",
        shape: { columns: ["word", "means"], key: "word", accepted: "means" },
      },
      [
        ["Quill Fen", ""],
        ["Qf", "Quill Fen"],
      ],
      "Ines",
    );
    const match = {
      against: ["delivery"],
      fields: [{ in: ["place"], by: "words", variants_from: "forms", weights: [20, 8, 4, 2, 0, -4, -12] }],
      limits: { same: 90, ask: 50 },
    };
    const place = [{ name: "place", type: "text", length: 40 }];
    await newFeed(db, "places", place, {}, { match, gates: [] });
    const load = await loadNow(db, "places", "place\nQF north\nQuill Fen North\nDown End\n");
    expect(load).toMatchObject({ state: "loaded", inserted: 2, merged: 1 });
    const { rows: kept } = await db.query("select list, version from sieve.load_reference where load = $1", [load.id]);
    expect(kept).toEqual([{ list: "forms", version: 1 }]);
    expect((await whereUsed(db, "forms"))[0]!.formulas.map((u) => u.says)).toEqual([
      "words that mean the same in place",
    ]);
    const [shown] = await pairPlans(db, [load.id]);
    expect(shown!.match.fields[0]!["variants"]).toEqual({ "Quill Fen": ["Qf"] });
  });

  it("fails with a message where the list is not there", async () => {
    const { db } = system;
    await newFeed(
      db,
      "lost",
      [{ name: "site", type: "text" }],
      {},
      { lookup: [{ ...lookup[0], list: "nowhere", bring: {} }] },
    );
    const load = await loadNow(db, "lost", "site\nA\n");
    expect(load).toMatchObject({ state: "failed", error: { message: "There is no reference list nowhere." } });
  });
});

describe("an entry that is proposed", () => {
  it("is kept with its records until it is added or refused, and the record goes on", async () => {
    const { db } = system;
    const shape = { columns: ["code", "name", "land"], key: "code" };
    await makeReference(
      db,
      { name: "gardens", title: "Gardens", about: "", shape },
      [["BHG", "Brindle Hollow", "GB"]],
      "Ines",
    );
    const fields = [
      { name: "id", type: "text" },
      { name: "code", type: "text" },
      { name: "garden", type: "text" },
      { name: "land", type: "text" },
    ];
    const lookup = [
      {
        how: "exact",
        name: "garden",
        list: "gardens",
        by: [{ field: "code", column: "code" }],
        bring: { garden: "name", land: "land" },
        none: "propose",
      },
    ];
    await newFeed(db, "garden_visits", fields, {}, { lookup, gates: [] });
    const text = "id,code,garden,land\n1,BHG,,\n2,QFS,Quillfen,GB\n3,QFS,Quillfen,GB\n4,XXX,,\n";
    const load = await loadNow(db, "garden_visits", text);
    expect(load).toMatchObject({ inserted: 4, held: 0 });
    expect(load.report!.checks.find((c) => c.key === "look-up:garden")).toMatchObject({
      onFailure: "note",
      problems: 3,
    });
    const [noted] = (await findRecords(db, load.id, { check: "look-up:garden" })).records;
    expect(noted!.problems[0]!.message).toBe("code “QFS” is not in the list gardens; it is proposed as a new entry.");
    const open = await proposals(db, "gardens");
    expect(open).toMatchObject([
      { cells: ["QFS", "Quillfen", "GB"], records: 2, firstLoad: load.id },
      { cells: ["XXX", "", ""], records: 1 },
    ]);
    const more = await loadNow(db, "garden_visits", "id,code,garden,land\n5,QFS,Quillfen,GB\n");
    expect((await proposals(db, "gardens"))[0]).toMatchObject({ records: 3, firstLoad: load.id, lastLoad: more.id });
    await refuseProposal(db, open[1]!.id, "Ines");
    await changeReference(db, "gardens", 1, { add: [[...open[0]!.cells]], remove: [] }, "a new garden", "Ines");
    expect(await proposals(db, "gardens")).toEqual([]);
    const last = await loadNow(db, "garden_visits", "id,code\n6,QFS\n7,XXX\n");
    expect(last.report!.lookUps![0]!.counts).toMatchObject({ exact: 1, none: 1 });
    expect(await proposals(db, "gardens")).toEqual([]);
  });
});

describe("a file of the same delivery", () => {
  it("serves as the list: what found no partner on either side is counted, and its records can be looked at later", async () => {
    const { db } = system;
    const fields = [
      { name: "no", type: "text" },
      { name: "lot", type: "text" },
      { name: "site", type: "text" },
    ];
    const lookup = [
      {
        how: "exact",
        name: "lot",
        list: "lots",
        file: "file-1.*",
        by: [{ field: "lot", column: "lot no" }],
        bring: { site: "site" },
      },
    ];
    await newFeed(db, "tests_of_lots", fields, { key: ["no"] }, { lookup, gates: [] });
    const load = await loadNow(
      db,
      "tests_of_lots",
      "no,lot\n1,A\n2,B\n3,X\n4,A\n",
      "lot no;site\nA;Alder Fen\nB;Birk Hill\nC;Cold Fell\n",
    );
    expect(load).toMatchObject({ state: "loaded", read: 4, inserted: 3, held: 1 });
    expect(load.report!.files.map((f) => f.name)).toEqual(["file-0.csv"]);
    expect(load.report!.lookUps![0]).toMatchObject({
      list: "lots",
      version: 0,
      counts: { exact: 3, none: 1 },
      unused: { count: 1, keys: ["C"] },
    });
    expect((await rows(db, "tests_of_lots", "no")).map((r) => r["site"])).toEqual([
      "Alder Fen",
      "Birk Hill",
      "Alder Fen",
    ]);
    const page = await findRecords(db, load.id, { outcome: "inserted" });
    expect(page.records.map((r) => r.values[2])).toEqual(["Alder Fen", "Birk Hill", "Alder Fen"]);
    const [mended] = await releaseRecords(db, [{ load: load.id, record: 2, values: { lot: "C" } }], "t");
    expect(mended!.released).toBe(true);
    expect((await rows(db, "tests_of_lots", "no")).at(2)).toMatchObject({ no: "3", site: "Cold Fell" });
    const alone = await loadNow(db, "tests_of_lots", "no,lot\n9,A\n");
    expect(alone).toMatchObject({ state: "failed" });
    expect(alone.error!.message).toBe("The delivery has no file “file-1.*”, which the look-up lot asks.");
  });

  it("tells its key, what it would fill and which of its keys are given twice, before anything is loaded", async () => {
    const { db } = system;
    const fields = ["no", "batch", "site"].map((name) => ({ name, type: "text" }));
    const lookup = [
      {
        how: "exact",
        name: "lot",
        list: "lots",
        file: "file-1.*",
        by: [{ field: "batch", column: "lot no" }],
        bring: { site: "site" },
        several: "pass",
        none: "pass",
      },
    ];
    await newFeed(db, "lots_of_batches", fields, { key: ["no"] }, { lookup, gates: [] });
    const lots = Array.from({ length: 30 }, (_, i) => `${i % 3},L-${i},Site ${i}`).concat(
      "0,L-4,Site 4 b",
      "1,L-9,Site 9 b",
    );
    const load = await loadNow(
      db,
      "lots_of_batches",
      `no,batch\n${Array.from({ length: 40 }, (_, i) => `${i % 3},L-${i % 20}`)
        .map((r, i) => `${i}${r}`)
        .join("\n")}\n`,
      `grade,lot no,site\n${lots.join("\n")}\n`,
    );
    expect(load.report!.lookUps![0]).toMatchObject({
      counts: { exact: 36, several: 4, none: 0 },
      repeated: { count: 2, entries: 4, keys: ["L-4", "L-9"] },
      unused: { count: 10 },
    });
    const plan = (await planInForce(db, "lots_of_batches")).document;
    const open = lookUpSchema.parse({
      how: "exact",
      name: "x",
      list: "lots",
      file: "file-1.*",
      by: [{ field: "no", column: "grade" }],
    });
    const proposed = await proposedLookUp(db, load.delivery, plan, open);
    expect(proposed).toMatchObject({
      records: 40,
      how: "exact",
      by: [{ field: "batch", column: "lot no", different: 20, found: 20 }],
      bring: { site: "site" },
      repeated: { keys: 2, entries: 4 },
      limits: null,
    });
    const missing = { ...open, file: "other.csv" };
    await expect(proposedLookUp(db, load.delivery, plan, missing)).rejects.toMatchObject({ code: "list-missing" });
    const scored = lookUpSchema.parse({ ...open, how: "scored", by: [{ field: "batch", column: "lot no" }] });
    expect((await proposedLookUp(db, load.delivery, plan, scored)).limits).toMatchObject({
      unknown: "small",
      least: 85,
    });
  });
});
