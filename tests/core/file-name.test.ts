import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fitsName } from "@/core/kernel/file-name.ts";

describe("a pattern of names", () => {
  it("fits as the same expression would", () => {
    const unit = fc.constantFrom("a", "b", "*", "?", ".");
    fc.assert(
      fc.property(
        fc.string({ unit, maxLength: 8 }),
        fc.string({ unit: fc.constantFrom("a", "b", "."), maxLength: 10 }),
        (pattern, name) => {
          const expression = new RegExp(
            `^${pattern.replace(/[.]/g, "\\.").replace(/\*+/g, ".*").replace(/\?/g, ".")}$`,
          );
          expect(fitsName(pattern, name)).toBe(expression.test(name));
        },
      ),
      { numRuns: 3000 },
    );
    expect(fitsName(`${"a*".repeat(40)}b`, "a".repeat(3000))).toBe(false);
  });
});
