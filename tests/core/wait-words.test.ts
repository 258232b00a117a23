import { describe, expect, it } from "vitest";
import { stayedWords, waitWords } from "@/ui/quarantine/held.ts";

describe("what is said of released records", () => {
  const words = (released: number, waiting: number, uncompared = 0): string =>
    waitWords({ released, waiting, uncompared });

  it("is nothing where all are in the target", () => {
    expect(words(5, 0)).toBe("");
  });

  it("names those that wait, one by itself, all, or some", () => {
    expect(words(1, 1)).toBe("; it may be the same as a row of the target and waits for a decision in Matches");
    expect(words(3, 3)).toBe("; all of them may be the same as rows of the target and wait for a decision in Matches");
    expect(words(3, 2)).toContain("; 2 records may be the same as rows");
    expect(words(3, 1)).toContain("; 1 record may be the same as a row of the target and waits");
  });

  it("says where nothing could be compared", () => {
    expect(words(3, 0, 3)).toBe(
      "; they were not compared with the target, which has more rows than a release can compare",
    );
    expect(words(3, 1, 2)).toMatch(/waits for a decision in Matches; they were not compared/);
  });
});

it("a record that stayed says why: who was faster, what is newer, or what is wrong", () => {
  expect(stayedWords({ problems: [], ended: "released by steward" })).toBe("it is released by steward already");
  expect(stayedWords({ problems: [], overtaken: { by: 7 } })).toContain("by writing 7, so it is overtaken");
  expect(stayedWords({ problems: [], overtaken: { by: null } })).toContain("by another program");
  expect(stayedWords({ problems: [{ message: "a." }, { message: "b." }] })).toBe("a. b.");
});
