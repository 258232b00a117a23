import { describe, expect, it } from "vitest";
import { manifestOf } from "@/core/interop/manifest.ts";
import { fileName, senderPart } from "@/core/write/files/name.ts";
import { folderOf, readPartitions } from "@/core/write/files/partition.ts";
import { planOf } from "../support/plans.ts";

const plan = planOf([
  { name: "partner", type: "text" },
  { name: "collected_on", type: "date" },
  { name: "at", type: "timestamp" },
  { name: "n", type: "integer" },
]);
const { fields } = plan.contract;
const folder = (partitions: string, ...values: string[]): string =>
  folderOf(readPartitions(partitions, fields), fields)(values);

describe("folders of records", () => {
  it("are named by a field and its value, days by their period", () => {
    const values = ["Ashmere", "2026-05-31", "2026-06-01 10:00:00+00", "7"];
    expect(folder("", ...values)).toBe("");
    expect(folder("partner", ...values)).toBe("partner=Ashmere");
    expect(folder(" partner , collected_on:month ", ...values)).toBe("partner=Ashmere/collected_on=2026-05");
    expect(folder("collected_on:year,at:day", ...values)).toBe("collected_on=2026/at=2026-06-01");
    expect(folder("collected_on", ...values)).toBe("collected_on=2026-05-31");
    expect(folder("partner,n", "", "", "", "")).toBe("partner=/n=");
  });

  it("lead nowhere else, whatever a value is", () => {
    const of = (value: string): string => folder("partner", value, "", "", "");
    expect(of("../../etc")).toBe("partner=%2E.%2F..%2Fetc");
    expect(of("a/b\\c")).toBe("partner=a%2Fb%5Cc");
    expect(of("x=y%")).toBe("partner=x%3Dy%25");
    expect(of("a\u0000\nb")).toBe("partner=a%00%0Ab");
    expect(of("Zoë Ω.")).toBe("partner=Zoë Ω%2E");
    expect(decodeURIComponent(of("../x=1%"))).toBe("partner=../x=1%");
    expect(() => of("é".repeat(200))).toThrow("too long for the name of a folder");
  });

  it.each([
    ["nobody", "There is no field nobody to partition by."],
    ["partner:month", "partner is no day, so it has no month."],
    ["collected_on:week", "Days have no week."],
    ["partner,n,partner", "partner is said twice."],
  ])("by %s are refused", (text, words) => {
    expect(() => readPartitions(text, fields)).toThrow(words);
  });
});

describe("names of files", () => {
  const about = { feed: "seeds", load: "12", sender: "Brindle", day: "2026-05-31" };

  it("follow their pattern, with a number where there may be several", () => {
    expect(fileName("{feed}-{day}", about, null)).toBe("seeds-2026-05-31");
    expect(fileName("{feed}-{day}", about, 3)).toBe("seeds-2026-05-31-0003");
    expect(fileName("{n} of load {load}", about, 3)).toBe("0003 of load 12");
    expect(fileName("all", about, null)).toBe("all");
    expect(fileName("{sender} {load}", about, null)).toBe("Brindle 12");
  });

  it("have a sender as a name can have it", () => {
    expect(senderPart(" Brindle Herbarium ")).toBe("Brindle Herbarium");
    expect(senderPart("seeds@brindle.example/1")).toBe("seeds_brindle.example_1");
    expect(senderPart("Ørsted’s Gärten")).toBe("Ørsted_s Gärten");
    expect([senderPart(""), senderPart("  ")]).toEqual(["no sender", "no sender"]);
  });

  it.each(["{who}", "a/b", "..", "", "-rf", "a:b", "x".repeat(200), "ends.", "nul\u0000"])("%j is none", (pattern) => {
    expect(() => fileName(pattern, about, null)).toThrow(/name/);
  });
});

describe("the manifest", () => {
  it("has every file, their sum, and the contract in two standards", () => {
    const files = [
      { path: "a.csv", records: 2, bytes: 10, sha256: "00" },
      { path: "b/c.csv", records: 3, bytes: 20, sha256: "01" },
    ];
    const manifest = manifestOf(plan, { plan: 4, of: { target: "t" }, made_at: "2026-05-31T00:00:00Z" }, files);
    expect(manifest).toMatchObject({ format: "good-sieve/manifest@1", records: 5, plan: 4, files });
    expect(Object.keys((manifest.contract.json_schema as { properties: object }).properties)).toEqual(
      fields.map((f) => f.name),
    );
    expect((manifest.contract.table_schema as { fields: { name: string }[] }).fields.map((f) => f.name)).toEqual(
      fields.map((f) => f.name),
    );
  });
});
