import { gzipSync } from "node:zlib";
import { zipSync } from "fflate";
import { describe, expect, it } from "vitest";
import { deliveryValues } from "@/engine/look/delivery-values.ts";
import { findInDelivery, type CellFilter } from "@/engine/look/delivery-records.ts";
import { previewDelivery } from "@/engine/look/preview.ts";
import { findRecords } from "@/engine/look/records.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { listHeld } from "@/store/held.ts";
import { askForProfile, getProfile, profilesOf } from "@/store/profiles.ts";
import { makeReference } from "@/store/references.ts";
import { CHECKLIST } from "../../demo/taxa.ts";
import { TAXA } from "../../demo/words.ts";
import { OTHER_FEEDS, makeOtherDeliveries } from "../../demo/other-feeds.ts";
import { makeFeed, savePlan } from "@/store/feeds.ts";
import { kindsOfFiles } from "@/core/map/kinds-of-files.ts";
import { getDelivery, splitDelivery } from "@/store/deliveries.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { planOf } from "../support/plans.ts";
import { deliver, loadNow, newFeed, rows, useSystem, waitFor } from "../support/system.ts";

const system = useSystem();

const text = (s: string): Uint8Array => new TextEncoder().encode(s);

describe("deliveries of other formats", () => {
  it("are loaded through the same course: the demo's, with what was planted in them held", async () => {
    const { db } = system;
    await makeReference(db, CHECKLIST, CHECKLIST.entries, "test");
    for (const { name, title, about, plan } of OTHER_FEEDS) {
      await makeFeed(db, { name, title, about });
      await savePlan(db, name, plan, "the first", "test");
    }
    for (const d of makeOtherDeliveries()) {
      const load = await loadNow(db, d.feed, d.bytes);
      expect(load, `${d.name}: ${load.error?.message}`).toMatchObject({ state: "loaded", read: d.records });
      expect(load.held, d.name).toBeGreaterThanOrEqual(d.truth.length);
      const held = await listHeld(db, { load: load.id });
      expect(
        held.every((h) => d.truth.some((t) => t.line === h.line && h.problems.some((p) => p.check === t.check))),
      ).toBe(true);
      // Records behind counts are there although the file can't be entered in the middle.
      const page = await findRecords(db, load.id, { outcome: "held" });
      expect(page.records).toHaveLength(load.held!);
      const loaded = await findRecords(db, load.id, { outcome: "loaded" }, 0, 5);
      expect(loaded.records[0]!.values.some((v) => v !== "")).toBe(true);
      expect(page.records.map((r) => r.line)).toEqual([...page.records.map((r) => r.line)].sort((a, b) => a - b));
    }
    const tests = await rows(db, "germination_test", "accession, test_no");
    expect(tests[0]).toMatchObject({ test_no: 1 });
    // Slips and older names have all but always led to the accepted one.
    const named = tests.filter((t) => t["accepted_name"] !== null);
    expect(named.length / tests.length).toBeGreaterThan(0.98);
    expect(new Set(named.map((t) => t["accepted_name"])).size).toBeLessThanOrEqual(TAXA.length);
    expect(named.filter((t) => t["accepted_name"] !== t["taxon"]).length).toBeGreaterThan(100);
  });

  it("may be many files in one archive, with columns in any order and a document among them", async () => {
    const { db } = system;
    await newFeed(
      db,
      "mixed",
      [
        { name: "a", type: "text" },
        { name: "b", type: "integer" },
      ],
      {},
      { read: { as: "delimited" } },
    );
    const zip = zipSync({ "one.csv": text("a,b\nx,1\ny,bad\n"), "two.csv": text("b;a\n2;z\n") });
    const load = await loadNow(db, "mixed", zip, gzipSync("a,b\nq,9\n"));
    expect(load).toMatchObject({ state: "loaded", read: 4, inserted: 3, held: 1 });
    expect(load.report!.files.map((f) => [f.name, f.position, f.records])).toEqual([
      ["file-0.csv/one.csv", 0, 2],
      ["file-0.csv/two.csv", 0, 1],
      ["file-1.csv", 1, 1],
    ]);
    expect((await rows(db, "mixed", "b")).map((r) => r["a"])).toEqual(["x", "z", "q"]);
    const held = await findRecords(db, load.id, { outcome: "held" });
    expect(held.records[0]).toMatchObject({ file: "file-0.csv/one.csv", line: 3, arrived: ["y", "bad"] });
  });

  it("that are damaged fail with one message, nothing changed, the worker alive", async () => {
    const { db } = system;
    await newFeed(db, "hurt", [{ name: "a", type: "text" }]);
    const gz = gzipSync(`a\n${Array.from({ length: 4000 }, (_, i) => `${i * 7919}`).join("\n")}`);
    const load = await loadNow(db, "hurt", new Uint8Array(gz.subarray(0, gz.length - 200)));
    expect(load.state).toBe("failed");
    expect(load.error!.message).toContain("damaged or not whole");
    expect((await loadNow(db, "hurt", "a\n1\n")).state).toBe("loaded");
    expect(await rows(db, "hurt")).toHaveLength(1);
  });

  it("bring new columns as documents come", async () => {
    const { db } = system;
    await newFeed(
      db,
      "late",
      [
        { name: "a", type: "integer" },
        { name: "z", type: "text", required: true },
      ],
      {},
      { read: { as: "json-lines" }, gates: [] },
    );
    const lines = Array.from({ length: 9000 }, (_, i) => (i < 8500 ? `{"a":${i}}` : `{"a":${i},"z":"late"}`));
    const load = await loadNow(db, "late", lines.join("\n"));
    expect(load).toMatchObject({ state: "loaded", inserted: 500, held: 8500 });
    expect(load.report!.files[0]!.columns).toEqual(["a", "z"]);
    expect((await findRecords(db, load.id, { outcome: "loaded" }, 0, 1)).records[0]!.values).toEqual(["8500", "late"]);
  });
});

describe("columns that no field takes", () => {
  it("are taken along as JSON where the plan keeps them: by a load, an upsert and a release", async () => {
    const { db } = system;
    const fields = [
      { name: "a", type: "text", required: true },
      { name: "n", type: "integer" },
    ];
    await newFeed(
      db,
      "kept",
      fields,
      { key: ["a"], mode: "upsert" },
      { map: { extra: "keep" }, read: { as: "delimited", delimiter: "," } },
    );
    const load = await loadNow(db, "kept", 'a,n,Jar,"odd, ""name"""\nx,1,7,"q\\,r"\ny,2,,\nz,bad,9,\nw,3,8,\n');
    expect(load).toMatchObject({ state: "loaded", inserted: 3, held: 1 });
    const extras = async (): Promise<unknown[]> => (await rows(db, "kept", "a")).map((r) => r["_extra"]);
    expect(await extras()).toEqual([{ Jar: "8" }, { Jar: "7", 'odd, "name"': "q\\,r" }, null]);
    expect(load.report!.drift.map((d) => d.name)).toEqual(["Jar", 'odd, "name"']);
    const again = await loadNow(db, "kept", "a,n,Jar\nx,1,70\ny,2,\n");
    expect(again).toMatchObject({ updated: 1, unchanged: 1 });
    const [held] = await listHeld(db, { load: load.id });
    await releaseRecords(db, [{ load: load.id, record: held!.record, values: { n: "4" } }], "test");
    expect(await extras()).toEqual([{ Jar: "8" }, { Jar: "70", 'odd, "name"': "q\\,r" }, null, { Jar: "9" }]);
  });
});

describe("a delivery that nobody knows yet", () => {
  it("is looked into: what its files are, and their first records, damage or not", async () => {
    const { db } = system;
    await makeFeed(db, { name: "unknown", title: "Unknown", about: "" });
    const id = await deliver(db, "unknown", "x;y\n1;2\n", '{"a":[{"b":1}]}\n', text("<r><i n='1'/><i n='2'/><i"));
    const parts = await previewDelivery(db, id, {});
    expect(parts.map((p) => [p.read.as, p.rows.length, p.error !== null])).toEqual([
      ["delimited", 1, false],
      ["json", 1, false],
      ["xml", 2, true],
    ]);
    expect((await previewDelivery(db, id, { as: "delimited", delimiter: ",", header: false }))[0]!.columns).toEqual([
      "1",
    ]);
  });

  it("is profiled as a whole by the worker, once for each way of reading; numbers lead to records", async () => {
    const { db } = system;
    await makeFeed(db, { name: "prof", title: "Prof", about: "" });
    const id = await deliver(db, "prof", "k,v\n1,a\n2,\n3,A b\n", "v,k\nzz,4\n");
    const asked = await askForProfile(db, id, null);
    expect(await askForProfile(db, id, null)).toBe(asked);
    let profile = await getProfile(db, asked);
    for (let i = 0; i < 200 && profile.state !== "done"; i++) {
      await new Promise((resolve) => setTimeout(resolve, 50));
      profile = await getProfile(db, asked);
    }
    expect(profile.document).toMatchObject({
      records: 4,
      columns: [
        { name: "k", filled: 4 },
        { name: "v", filled: 3, empty: 1 },
      ],
    });
    expect(await profilesOf(db, "prof")).toHaveLength(1);
    const find = (is: CellFilter["is"], value?: string) => findInDelivery(db, id, {}, { column: "v", is, value });
    expect((await find("empty")).records).toMatchObject([{ line: 3, cells: ["2", ""] }]);
    expect((await find("value", "zz")).records).toMatchObject([{ file: "file-1.csv", line: 2, cells: ["4", "zz"] }]);
    expect((await find("shape", "A a")).records).toHaveLength(1);
    expect((await find("has", "a")).records).toHaveLength(2);

    // Values as they stand after some steps, before anything has been loaded.
    const spelt = await deliver(db, "prof", "k,v\n1, Fen \n2,fen\n3,Fen\n4,\n5,Cray\n");
    const plan = planOf(
      [
        { name: "k", type: "text" },
        { name: "v", type: "text" },
      ],
      {
        cleanse: [
          { do: "trim", in: ["v"] },
          { do: "leave-out", in: "*", when: "k == '5'" },
          { do: "case", in: ["v"], to: "upper" },
        ],
      },
    );
    const values = async (steps: number) =>
      (await deliveryValues(db, spelt, plan, "v", steps)).values.map((x) => [x.value, x.count]);
    expect(await values(0)).toEqual([
      [" Fen ", 1],
      ["Cray", 1],
      ["Fen", 1],
      ["fen", 1],
    ]);
    expect(await values(2)).toEqual([
      ["Fen", 2],
      ["fen", 1],
    ]);
    expect(await values(3)).toEqual([["FEN", 3]]);
    expect(await deliveryValues(db, spelt, plan, "nothing", 0)).toEqual({ values: [], all: true });

    const other = await deliver(db, "prof", "k,v\n1,OAK\n2,12\n3,Elm\n4,OAK\n5,9000\n6,13\n");
    const lines = async (is: CellFilter["is"], value?: string): Promise<number[]> =>
      (await findInDelivery(db, other, {}, { column: "v", is, value })).records.map((r) => r.line);
    expect(await lines("again")).toEqual([2, 5]);
    expect(await lines("outside", "0..100")).toEqual([6]);
    expect(await lines("case", "upper")).toEqual([4]);
    expect(await lines("number")).toEqual([3, 6, 7]);
    expect(await lines("no number")).toEqual([2, 4, 5]);

    // A word for nothing in small letters is looked for in any, as a profile counts it; written otherwise, as it stands.
    const lacking = await deliver(db, "prof", "k,v\n1,N/A\n2,n/a\n3, n/a \n4,oak\n");
    const meant = async (value: string): Promise<number[]> =>
      (await findInDelivery(db, lacking, {}, { column: "v", is: "value", value })).records.map((r) => r.line);
    expect(await meant("n/a")).toEqual([2, 3, 4]);
    expect(await meant("N/A")).toEqual([2]);
  });

  it("parts into feeds where its files are of several kinds, until it is loaded", async () => {
    const { db } = system;
    await makeFeed(db, { name: "mixed", title: "Mixed", about: "" });
    const id = await deliver(db, "mixed", "k,v\n1,a\n", "site,town\nF,Fen\n", "k,v\n2,b\n", "site,town\nC,Cray\n");
    const files = (await getDelivery(db, id)).files.map((f) => f.id);
    const parts = await previewDelivery(db, id, {});
    expect(parts.map((p) => p.file)).toEqual(files);
    expect(kindsOfFiles(parts)).toEqual([
      [0, 2],
      [1, 3],
    ]);
    const wrong = (feeds: { name: string; title: string; files: number[] }[]) =>
      expect(splitDelivery(db, id, feeds)).rejects;
    await wrong([{ name: "mixed", title: "M", files: [files[1]!] }]).toThrow("There is a feed “mixed” already.");
    await wrong([{ name: "sites", title: "S", files: [] }]).toThrow("each once");
    await wrong([{ name: "sites", title: "S", files: [files[1]!, files[1]!] }]).toThrow("each once");
    await wrong([{ name: "sites", title: "S", files: [999_999] }]).toThrow("each once");
    await wrong([{ name: "sites", title: "S", files }]).toThrow("One file at least");
    const made = await splitDelivery(db, id, [{ name: "sites", title: "Sites", files: [files[3]!, files[1]!] }]);
    expect(made).toMatchObject([{ feed: "sites" }]);
    expect((await getDelivery(db, id)).files.map((f) => f.id)).toEqual([files[0], files[2]]);
    const other = await previewDelivery(db, made[0]!.delivery, {});
    expect(other.map((p) => [p.file, p.columns])).toEqual([
      [files[3], ["site", "town"]],
      [files[1], ["site", "town"]],
    ]);
    await savePlan(
      db,
      "mixed",
      planOf(
        [
          { name: "k", type: "text" },
          { name: "v", type: "text" },
        ],
        { feed: "mixed", load: { target: "mixed" } },
      ),
      "first",
      "test",
    );
    const load = await waitFor(db, await askForLoad(db, id));
    expect(load.report!.balance.outcomes).toMatchObject({ inserted: 2 });
    await wrong([{ name: "more", title: "M", files: [files[0]!] }]).toThrow("has been loaded");
  });
});
