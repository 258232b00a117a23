import { describe, expect, it } from "vitest";
import { FORMAT_IDS } from "@/core/read/schema.ts";
import {
  cellNumber,
  duration,
  isoDay,
  label,
  longDay,
  moment,
  percentOf,
  readWords,
  recordsHref,
  seconds,
  total,
} from "@/ui/kit/words.ts";

describe("what screens say", () => {
  const now = new Date("2026-11-23T12:00:00Z");

  it("of totals: whole numbers in groups of three, what stands after the point as it is, days as days", () => {
    expect(["1234567.12345", "-33829.6554", "12", "2026-11-03", null].map(total)).toEqual([
      "1,234,567.12345",
      "-33,829.6554",
      "12",
      "2026-11-03",
      "",
    ]);
  });

  it("of when: the time today, the day before, the year of another year", () => {
    expect([
      moment("2026-11-23T09:12:40Z", now),
      moment("2026-11-22T23:59:00Z", now),
      moment(new Date("2025-11-23T09:12:00Z"), now),
      isoDay("2026-11-23T23:30:00-02:00"),
      longDay(now),
    ]).toEqual(["09:12", "22 Nov 23:59", "23 Nov 2025 09:12", "2026-11-24", "Monday 23 November"]);
  });

  it.each([
    [null, ""],
    [0, "0.0 s"],
    [9.94, "9.9 s"],
    [10, "10 s"],
    [119.4, "119 s"],
    [120, "2 min 0 s"],
    [179.4, "2 min 59 s"],
    // Seconds never come to sixty.
    [179.7, "3 min 0 s"],
    [3599.6, "60 min 0 s"],
  ])("of how long: %s is “%s”", (s, says) => {
    expect(duration(s)).toBe(says);
  });

  it("of how long from one moment to another, where both are known", () => {
    expect([
      seconds("2026-11-23T12:00:00Z", new Date("2026-11-23T12:01:30Z")),
      seconds(null, now),
      seconds(now, null),
    ]).toEqual([90, null, null]);
  });

  it.each([
    [0, 0, ""],
    [0, 9, "0.0"],
    [9, 9, "100.0"],
    [1, 3, "33.3"],
    // Nearly all is not all, and hardly any is not none.
    [99_999, 100_000, "99.9"],
    [1, 100_000, "0.1"],
  ])("of a share: %i of %i is “%s”", (part, whole, says) => {
    expect(percentOf(part, whole)).toBe(says);
  });

  it("of a number in a table: nothing where there is none", () => {
    expect([cellNumber(null), cellNumber(undefined), cellNumber(0), cellNumber(0, true), cellNumber(12_345)]).toEqual([
      "",
      "",
      "0",
      "",
      "12,345",
    ]);
  });

  it("of how files are read", () => {
    expect(readWords({ as: "delimited" })).toBe("delimiter found, auto");
    expect(readWords({ as: "delimited", delimiter: "\t", encoding: "utf-8" })).toBe("tab, utf-8");
    expect(readWords({ as: "delimited", delimiter: "~", encoding: "utf-8" })).toBe("“~”, utf-8");
    expect(readWords({ as: "json", records: "a.b", each: "tests", encoding: "utf-8" })).toBe(
      "JSON, a.b, a record for each of tests, utf-8",
    );
    expect(readWords({ as: "xlsx", sheets: ["One", "Two"] })).toBe(
      "XLSX, One, Two".replace("XLSX", readWords({ as: "xlsx" })),
    );
    for (const as of FORMAT_IDS) expect(readWords({ as })).not.toMatch(/undefined|^$/);
  });

  it("of the address of records, in which nothing leads elsewhere", () => {
    expect(recordsHref(7, { outcome: "held", field: undefined, check: "a&b=c:type" })).toBe(
      "/loads/7/records?outcome=held&check=a%26b%3Dc%3Atype",
    );
    expect(label("on_failure_now")).toBe("on failure now");
  });
});
