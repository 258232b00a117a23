import { expect, it } from "vitest";
import { byteSize } from "@/core/kernel/problem.ts";

it("a number of bytes is told in the largest unit of which there is one", () => {
  const told = [0, 999, 1000, 9_949, 9_950, 312_400, 999_499, 999_500, 4_100_000, 1.2e10, 3e15].map(byteSize);
  expect(told).toEqual([
    "0 B",
    "999 B",
    "1.0 kB",
    "9.9 kB",
    "10 kB",
    "312 kB",
    "999 kB",
    "1.0 MB",
    "4.1 MB",
    "12 GB",
    "3000 TB",
  ]);
});
