import { describe, expect, it } from "vitest";
import { kindsOfFiles } from "@/core/map/kinds-of-files.ts";

const kinds = (...files: string[]): number[][] =>
  kindsOfFiles(files.map((f) => ({ columns: f === "" ? [] : f.split(" ") })));

describe("files that come together", () => {
  it("are of one kind where they have at least half of their columns in common", () => {
    expect(kinds("id name mass", "id name", "site country", "ID Name Mass town")).toEqual([[0, 1, 3], [2]]);
    expect(kinds("a b c", "a d e")).toEqual([[0], [1]]);
    expect(kinds("a b", "a c d")).toEqual([[0], [1]]);
    expect(kinds("a b c", "a b d")).toEqual([[0, 1]]);
  });

  it("are joined by one that is like both", () => {
    expect(kinds("a b c d", "c d e f", "a b c d e f")).toEqual([[0, 1, 2]]);
  });

  it("without names are told apart by how many columns they have", () => {
    expect(kinds("1 2 3", "1 2", "1 2 3", "id name mass")).toEqual([[0, 2], [1], [3]]);
  });

  it("that can't be read are each by itself", () => {
    expect(kinds("", "a b", "")).toEqual([[0], [1], [2]]);
    expect(kinds()).toEqual([]);
  });
});
