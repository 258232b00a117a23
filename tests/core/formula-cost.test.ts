import { describe, expect, it } from "vitest";
import { compileFormula } from "@/core/formula/compile.ts";
import type { Scope } from "@/core/formula/scope.ts";

const SCOPE: Scope = {
  fields: [
    { name: "note", type: "text" },
    { name: "n", type: "integer" },
  ],
};
const numbers = (n: number): string => `[${Array.from({ length: n }, (_, i) => i).join(",")}]`;
const refused = (source: string): string => {
  try {
    compileFormula(source, SCOPE);
    return "let in";
  } catch (error) {
    return (error as Error).message;
  }
};

describe("what a formula may cost", () => {
  it.each([
    ["lists within lists", `${numbers(450)}.all(x, ${numbers(450)}.all(y, x + y >= 0))`],
    [
      "a cell's characters within each other",
      'note.split("").all(x, note.split("").all(y, note.split("").exists(z, x + y == z)))',
    ],
    ["a list made of a list", `${numbers(300)}.map(x, ${numbers(300)}.map(y, x * y)).size() > 0`],
  ])("is estimated and refused: %s", (_, source) => {
    expect(refused(source)).toMatch(/steps a record, and 200,000 are allowed|may stand inside each other/);
  });

  it.each([
    ["text that grows by replacing", `note${'.replace("a", "aaaaaaaaaa")'.repeat(12)} == ""`],
    ["text between all characters", `note${'.replace("", "aaaaaaaaaaaaaaa")'.repeat(6)} == ""`],
    ["text that is joined again and again", `note${'.split("").join("aaaaaaaaaaaaaaaaaaaa")'.repeat(5)} == ""`],
  ])("so is what it would make: %s", (_, source) => {
    expect(refused(source)).toMatch(/could have [\d,]+ characters or elements|steps a record/);
  });

  it.each([
    'note.split(",").all(x, x.size() < 20)',
    'note.split(";").exists(x, x.trim() in ["seed", "leaf", "root"])',
    `${numbers(80)}.exists(x, ${numbers(80)}.exists(y, x * y == n))`,
    'note.replace(", ", "; ").replace("  ", " ").replace("(", "").replace(")", "").lowerAscii() == "x"',
    'note.split("-").map(x, x.trim()).filter(x, x != "").join("-").size() < 100',
    `n in ${numbers(900)}`,
  ])("what people write is let in: %s", (source) => {
    expect(refused(source)).toBe("let in");
  });

  it("a text that is far longer than cells are has no value, said at once", () => {
    const formula = compileFormula('note.split("").all(x, x != "q")', SCOPE);
    expect(formula.run(["seeds of oak"])).toBe(true);
    const long = "x".repeat(5_000_000);
    expect(() => formula.run([long])).toThrow("A text of 5,000,000 characters is too long for what the formula does");
  });
});
