import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, afterEach, describe, expect, it, vi } from "vitest";
import { proposeFor } from "@/cli/profile.ts";
import { numbersFrom } from "@/core/kernel/random.ts";
import { lookUpSchema, type LookUp } from "@/core/lookup/schema.ts";
import { proposeLimits, proposeLookUp, type ListToAsk } from "@/core/map/propose-look-up.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { csvRow } from "@/core/write/csv.ts";
import { byScore, hasKey, repeatedWords, withKey } from "@/core/map/with-look-up.ts";

const below = numbersFrom(7);
const sites: ListToAsk = {
  name: "sites",
  columns: ["no", "site code", "site_name", "country", "altitude"],
  key: "no",
  entries: Array.from({ length: 120 }, (_, i) => [
    String(i + 1),
    `S-${1000 + i * 7}`,
    `Station ${"ABCDEFGH"[i % 8]}${i}`,
    ["Norway", "Chile", "Kenya"][i % 3]!,
    String(100 + below(900)),
  ]),
};
const fields = ["accession", "station", "country", "site_name", "altitude"].map((name) => ({ name }));
const rows = Array.from({ length: 300 }, (_, i) => {
  const site = sites.entries[below(120)]!;
  return [`A-${i}`, site[1]!.toLowerCase(), site[3]!, "", ""];
});

describe("the key of a list", () => {
  it("is found by what both have, whatever the names, and with its evidence", () => {
    const proposal = proposeLookUp({ fields, rows }, sites);
    expect(proposal.by).toHaveLength(1);
    expect(proposal.by[0]).toMatchObject({ field: "station", column: "site code" });
    expect(proposal.by[0]!.why).toMatch(
      /^1?\d\d of 1?\d\d different values of station are in the column site code; each entry has another$/,
    );
    expect(proposal.how).toBe("exact");
    expect(proposal.other).toMatchObject({ field: "country", column: "country" });
  });

  it("fills fields of the same name that nothing fills", () => {
    expect(proposeLookUp({ fields, rows }, sites).bring).toEqual({ site_name: "site_name", altitude: "altitude" });
  });

  it("is not a few small numbers that both happen to have", () => {
    const small = rows.map((_, i) => [`A-${i}`, String((i % 3) + 1), "", "", ""]);
    expect(proposeLookUp({ fields, rows: small }, sites).by).toEqual([]);
  });

  it("is of two columns where one alone is that of many entries", () => {
    const lots: ListToAsk = {
      name: "lots",
      columns: ["year", "lot", "grower"],
      key: "lot",
      entries: Array.from({ length: 200 }, (_, i) => [String(2000 + (i % 10)), `L${Math.floor(i / 10)}`, `G${i}`]),
    };
    const asked = Array.from({ length: 100 }, (_, i) => [`L${i % 20}`, String(2000 + (i % 10)), ""]);
    const proposal = proposeLookUp(
      { fields: ["lot", "harvest", "grower"].map((name) => ({ name })), rows: asked },
      lots,
    );
    expect(proposal.by.map((p) => [p.field, p.column]).sort()).toEqual([
      ["harvest", "year"],
      ["lot", "lot"],
    ]);
    expect(proposal.repeated).toEqual({ keys: 0, entries: 0 });
    expect(proposal.bring).toEqual({ grower: "grower" });
  });

  it("that several entries have is counted once each", () => {
    const twice = { ...sites, entries: [...sites.entries, ...sites.entries.slice(0, 5)] };
    const { repeated, by } = proposeLookUp({ fields, rows }, twice);
    expect(by[0]).toMatchObject({ field: "station" });
    expect(repeated).toEqual({ keys: 5, entries: 10 });
    expect(repeatedWords(repeated)).toMatch(/^5 keys are that of several entries \(10 entries\)/);
    expect(repeatedWords({ keys: 0, entries: 0 })).toBeNull();
  });

  it("is by score where names are alike and values are misspelled", () => {
    const lists: ListToAsk = {
      ...sites,
      columns: ["id", "site_name"],
      entries: sites.entries.map((e, i) => [`K${i}`, `${e[3]} ${e[2]}`]),
    };
    const misspelled = lists.entries.map((e) => ["", "", "", e[1]!.replace("Station", "Statoin"), ""]);
    const proposal = proposeLookUp({ fields, rows: misspelled }, lists);
    expect(proposal).toMatchObject({ how: "scored", by: [{ field: "site_name", column: "site_name", found: 0 }] });
    const lookUp = {
      how: "scored",
      name: "n",
      list: "sites",
      by: [{ field: "site_name", column: "site_name" }],
      least: 99,
    };
    const limits = proposeLimits(
      { fields, rows: misspelled },
      lookUpSchema.parse(lookUp) as LookUp & { how: "scored" },
      lists,
    );
    expect(limits!.listed).toBeGreaterThan(0.8);
  });

  it("is none where they have nothing in common", () => {
    expect(proposeLookUp({ fields: [{ name: "x" }], rows: [["q"]] }, sites)).toMatchObject({
      by: [],
      bring: {},
      other: null,
    });
    expect(proposeLookUp({ fields, rows: [] }, { ...sites, entries: [] }).by).toEqual([]);
  });
});

describe("a proposal that is taken", () => {
  const exact = lookUpSchema.parse({
    how: "exact",
    name: "s",
    list: "sites",
    by: [{ field: "accession", column: "no" }],
  });
  const proposal = { ...proposeLookUp({ fields, rows }, sites), limits: null, records: 300 };

  it("becomes the key, and fills what nobody had chosen otherwise", () => {
    expect(hasKey(exact, proposal)).toBe(false);
    const taken = withKey({ ...exact, bring: { altitude: "no" } }, proposal);
    expect(taken).toMatchObject({ how: "exact", by: [{ field: "station", column: "site code" }], none: "hold" });
    expect(taken.bring).toEqual({ site_name: "site_name", altitude: "no" });
    expect(hasKey(taken, proposal)).toBe(true);
    expect(withKey(exact, proposal, ["site_name"]).bring).toEqual({ altitude: "altitude" });
  });

  it("by score takes limits that are known, and no other", () => {
    const limits = { least: 80, lead: 2, right: 0.97, found: 0.8, listed: 0.9 };
    const scored = { ...proposal, how: "scored" as const, limits };
    expect(lookUpSchema.parse(withKey({ ...exact, same: "exactly" } as LookUp, scored))).toMatchObject({
      how: "scored",
      least: 80,
      lead: 2,
    });
    // By another key, or only with other limits.
    const names = lookUpSchema.parse({
      ...exact,
      how: "scored",
      by: [{ field: "accession", column: "no", compare: "edit" }],
    });
    expect(withKey(names, scored)).toMatchObject({ how: "scored", by: [{ field: "station", column: "site code" }] });
    expect(byScore(names, scored)).toMatchObject({ by: [{ field: "accession", compare: "edit" }], least: 80 });
    const unknown = withKey(exact, { ...scored, limits: { ...limits, right: null, unknown: "near" } });
    expect(unknown).not.toHaveProperty("least");
  });

  it("of a range only fills", () => {
    const range = lookUpSchema.parse({
      how: "range",
      name: "s",
      list: "sites",
      field: "altitude",
      from: "no",
      to: "no",
    });
    expect(withKey(range, proposal)).toMatchObject({
      how: "range",
      field: "altitude",
      bring: { site_name: "site_name" },
    });
  });
});

describe("a plan that is proposed from a shell", () => {
  const folder = mkdtempSync(join(tmpdir(), "propose-"));
  const file = (name: string, lines: readonly (readonly string[])[]): string => {
    writeFileSync(join(folder, name), lines.map((cells) => csvRow(cells)).join(""));
    return join(folder, name);
  };
  const said: string[] = [];
  const listen = (): void => {
    said.length = 0;
    vi.spyOn(process.stderr, "write").mockImplementation((text) => (said.push(String(text)), true));
  };
  afterEach(() => void vi.restoreAllMocks());
  afterAll(() => rmSync(folder, { recursive: true }));
  const list = file("sites.csv", [sites.columns, ...sites.entries]);
  const colours = file("colours.csv", [["colour"], ["red"], ["green"]]);

  it("has a look-up for each list that its values are in, with the evidence", async () => {
    const records = file("lots.csv", [["accession", "station", "country"], ...rows.map((r) => r.slice(0, 3))]);
    listen();
    const plan = await proposeFor([records], "lots", {}, [`sites=${list}`, `colours=${colours}`]);
    expect(parsePlan(plan).lookup).toMatchObject([
      { how: "exact", name: "sites", list: "sites", by: [{ field: "station", column: "site code" }], none: "hold" },
    ]);
    const words = said.filter((s) => s.startsWith("look-up"));
    expect(words[0]).toMatch(/^look-up sites: station in site code, by key \(1\d\d of 1\d\d different values/);
    expect(words[1]).toBe("look-up colours: left out (no field has values in common with a column of the list)\n");
    await expect(proposeFor([records], "lots", {}, ["sites"])).rejects.toMatchObject({ code: "usage" });
  });

  it("looks up by score where values are near to entries and none of them", async () => {
    const slip = (text: string) => text.replace("Station", "Staton");
    const near = rows.map((_, i) => [`A-${i}`, slip(sites.entries[i % 120]![2]!)]);
    const records = file("near.csv", [["accession", "site_name"], ...near]);
    listen();
    const plan = await proposeFor([records], "near", {}, [`sites=${list}`]);
    expect(parsePlan(plan).lookup).toMatchObject([
      { how: "scored", by: [{ field: "site_name", column: "site_name" }] },
    ]);
    expect(said.join("")).toContain("look-up sites: site_name in site_name, by score (");
  });

  it("has none where no list is given", async () => {
    listen();
    expect(await proposeFor([file("one.csv", [["a"], ["b"]])], "one", {})).not.toHaveProperty("lookup");
  });
});
