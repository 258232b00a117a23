import { describe, expect, it } from "vitest";
import { outHref, outPath, outQuery, shellWords, type OutChoice } from "@/ui/feeds/out-choice.ts";

const plain: OutChoice = { format: "csv", gzip: false, partitions: [] };
const all: OutChoice = {
  format: "parquet",
  gzip: true,
  partitions: [{ field: "partner" }, { field: "collected_on", by: "month" }],
  records: 1000,
  load: 7,
  name: "all {n}",
};

describe("what a person has chosen of records on their way out", () => {
  it("is asked for without what is as usual", () => {
    expect(outQuery(plain)).toEqual({ format: "csv" });
    expect(outHref("a feed", plain)).toBe("/api/feeds/a%20feed/out?format=csv");
    expect(outQuery(all)).toEqual({
      format: "parquet",
      gzip: "true",
      partition: "partner,collected_on:month",
      records: 1000,
      load: 7,
      name: "all {n}",
    });
  });

  it("is shown as the path of a file", () => {
    expect(outPath(plain, "csv")).toBe("{feed}-{day}.csv");
    expect(outPath({ ...plain, load: 7, gzip: true }, "csv")).toBe("{feed}-load-{load}.csv.gz");
    expect(outPath({ ...plain, records: 5 }, "csv")).toBe("{feed}-{day}-{n}.csv");
    expect(outPath(all, "parquet")).toBe("partner=…/collected_on=2026-05/all {n}.parquet.gz");
  });

  it("says which records, and of which load", () => {
    expect(outQuery({ ...plain, what: "rows" })).toEqual({ format: "csv" });
    expect(outQuery({ ...plain, what: "held" })).toEqual({ format: "csv", what: "held" });
    expect(outPath({ ...plain, what: "held" }, "csv")).toBe("{feed}-held-{day}.csv");
    expect(outPath({ ...plain, what: "records", load: 7 }, "csv")).toBe("{feed}-records-load-{load}.csv");
    const shell = (some: Partial<OutChoice>): string => shellWords("seeds", { ...plain, ...some }, "csv");
    expect(shell({ what: "held", load: 7 })).toBe("sieve out seeds seeds.csv --held --load 7");
    expect(shell({ what: "records", load: 7 })).toBe("sieve out seeds seeds.csv --read 7");
    expect(shell({ what: "accepted", load: 7 })).toBe("sieve out seeds seeds.csv --accepted 7");
    expect(shell({ load: 7 })).toBe("sieve out seeds seeds.csv --load 7");
  });

  it("may be what a query gives, by the role of a connection", () => {
    const query = { connection: "reader", sql: "select 'a' as a" };
    expect(outQuery({ ...plain, query })).toEqual({ format: "csv", ...query });
    expect(outHref("seeds", { ...plain, query })).toBe("/api/out?connection=reader&sql=select+%27a%27+as+a&format=csv");
    expect(outPath({ ...plain, query }, "csv")).toBe("query-{day}.csv");
    expect(outPath({ ...plain, query, partitions: [{ field: "a" }], name: "all" }, "csv")).toBe("a=…/all-{n}.csv");
    expect(shellWords("seeds", { ...plain, query }, "csv")).toBe(
      "sieve out 'select '\\''a'\\'' as a' query.csv --connection reader",
    );
  });

  it("is a command that a shell takes as it stands", () => {
    expect(shellWords("seeds", plain, "csv")).toBe("sieve out seeds seeds.csv");
    expect(shellWords("seeds", { ...plain, gzip: true }, "csv")).toBe("sieve out seeds seeds.csv.gz");
    expect(shellWords("seeds", { ...plain, format: "csv-for-spreadsheets" }, "csv")).toBe(
      "sieve out seeds seeds.csv --format csv-for-spreadsheets",
    );
    expect(shellWords("seeds", all, "parquet")).toBe(
      "sieve out seeds seeds-out/ --format parquet --gzip --partition partner,collected_on:month --records 1000 --load 7 --name 'all {n}'",
    );
    expect(shellWords("seeds", { ...plain, delimiter: "|", encoding: "windows-1252" }, "csv")).toBe(
      "sieve out seeds seeds.csv --delimiter '|' --encoding windows-1252",
    );
    expect(shellWords("seeds", { ...plain, format: "xml", root: "lots", record: "lot" }, "xml")).toBe(
      "sieve out seeds seeds.xml --root lots --record lot",
    );
    expect(outQuery({ ...plain, root: "lots" })).toMatchObject({ root: "lots" });
    expect(outQuery({ ...plain, delimiter: ";", encoding: "utf-16le" })).toEqual({
      format: "csv",
      delimiter: ";",
      encoding: "utf-16le",
    });
    expect(shellWords("seeds", { ...all, name: "it's" }, "parquet")).toContain("--name 'it'\\''s'");
  });
});
