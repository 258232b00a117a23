import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { identifierOf } from "@/core/kernel/check-digits.ts";
import { editDistance, similarity } from "@/core/kernel/distance.ts";
import {
  BYTE,
  OUTCOMES,
  addToBalance,
  balanceLine,
  emptyBalance,
  heldByte,
  transitions,
} from "@/core/kernel/ledger.ts";
import { compilePattern } from "@/core/kernel/pattern.ts";
import { SieveError, byteSize, counted, errorLines, listed, problemParts, quoted } from "@/core/kernel/problem.ts";

/** The restricted Damerau-Levenshtein distance by its definition. */
function byDefinition(a: readonly string[], b: readonly string[]): number {
  const known = new Map<number, number>();
  const d = (i: number, j: number): number => {
    if (i === 0 || j === 0) return i + j;
    const at = i * 1000 + j;
    const before = known.get(at);
    if (before !== undefined) return before;
    let least = Math.min(d(i - 1, j) + 1, d(i, j - 1) + 1, d(i - 1, j - 1) + (a[i - 1] === b[j - 1] ? 0 : 1));
    if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) least = Math.min(least, d(i - 2, j - 2) + 1);
    known.set(at, least);
    return least;
  };
  return d(a.length, b.length);
}

describe("the distance of two texts", () => {
  const letters = fc.constantFrom("a", "b", "c", "é", "ж", "🌱");
  const text = (most: number) => fc.array(letters, { maxLength: most }).map((l) => l.join(""));

  it("is that of the definition, for short texts and long, plain letters and others", () => {
    fc.assert(
      fc.property(text(12), text(12), (a, b) => {
        expect(editDistance(a, b)).toBe(byDefinition(Array.from(a), Array.from(b)));
      }),
      { numRuns: 300 },
    );
    const plain = (most: number) => fc.array(fc.constantFrom("a", "b", "c"), { minLength: 28, maxLength: most });
    fc.assert(
      fc.property(plain(40), plain(40), (a, b) => {
        expect(editDistance(a.join(""), b.join(""))).toBe(byDefinition(a, b));
      }),
      { numRuns: 60 },
    );
  });

  it("is that of the definition for texts of several machine words, in any script, one after the other", () => {
    const long = (...of: string[]) => fc.array(fc.constantFrom(...of), { minLength: 0, maxLength: 110 });
    const pair = fc.oneof(
      fc.tuple(long("a", "b"), long("a", "b")),
      fc.tuple(long("ж", "б", "山"), long("ж", "б", "山")),
      // Nearly the same: letters swapped where one word ends and the next begins.
      fc.tuple(long("a", "b", "c", "d"), fc.array(fc.nat(110), { maxLength: 6 })).map(([a, places]) => {
        const b = [...a];
        for (const i of [31, 63, ...places]) if (i + 1 < b.length) [b[i], b[i + 1]] = [b[i + 1]!, b[i]!];
        return [a, b] as [string[], string[]];
      }),
    );
    fc.assert(
      fc.property(pair, ([a, b]) => {
        expect(editDistance(a.join(""), b.join(""))).toBe(byDefinition(a, b));
      }),
      { numRuns: 200 },
    );
  });

  it("is a share of the longer one's letters", () => {
    expect(similarity("", "")).toBe(1);
    expect([similarity("", "abc"), similarity("abc", "")]).toEqual([0, 0]);
    expect(similarity("fen", "fern")).toBe(0.75);
    expect(similarity("fern", "fen")).toBe(0.75);
    expect(similarity("ab", "ba")).toBe(0.5);
    expect(similarity("🌱a", "🌱b")).toBe(0.5);
    expect(similarity("abc", "xyz")).toBe(0);
    const [a, b] = ["a".repeat(40), `${"a".repeat(39)}b`];
    expect(similarity(a, b)).toBeCloseTo(1 - 1 / 40, 12);
    const [c, d] = ["a".repeat(32), `${"a".repeat(31)}b`];
    expect(similarity(c, d)).toBeCloseTo(1 - 1 / 32, 12);
  });
});

describe("identifiers with check digits", () => {
  const of = identifierOf;
  it("are right in each of their forms, and wrong by one digit", () => {
    expect(of("isbn", "ISBN-10: 0-306-40615-2")).toBe("9780306406157");
    expect(of("isbn", "080442957X")).toBe("9780804429573");
    expect(of("isbn", "978-0-306-40615-7")).toBe("9780306406157");
    expect([of("isbn", "0306406153"), of("isbn", "9780306406158"), of("isbn", "X306406152")]).toEqual([
      null,
      null,
      null,
    ]);
    expect(of("issn", "ISSN 0378-5955")).toBe("0378-5955");
    expect(of("issn", "2434-561X")).toBe("2434-561X");
    expect([of("issn", "03785954"), of("issn", "2434-5610")]).toEqual([null, null]);
    expect([of("ean", "73513537"), of("ean", "73513536"), of("ean", "735135370")]).toEqual(["73513537", null, null]);
    expect(of("iban", "GB82 WEST 1234 5698 7654 32")).toBe("GB82WEST12345698765432");
    expect([of("iban", "GB82WEST12345698765433"), of("iban", "GB82WEST1234569876543")]).toEqual([null, null]);
    expect(of("lei", "5493001KJTIIGC8Y1R12")).toBe("5493001KJTIIGC8Y1R12");
    for (const wrong of [
      "5493001KJTIIGC8Y1R13",
      "5493001KJTIIGC8Y1R1",
      "x5493001KJTIIGC8Y1R12",
      "5493001KJTIIGC8Y1R12x",
    ])
      expect(of("lei", wrong)).toBeNull();
    expect(of("orcid", "https://orcid.org/0000-0002-1825-0097")).toBe("0000-0002-1825-0097");
    expect(of("orcid", "0000-0002-9079-593X")).toBe("0000-0002-9079-593X");
    expect(of("orcid", "0000-0002-1825-0098")).toBeNull();
  });

  it("of money, shares, phones and taxes too", () => {
    expect(of("luhn", "4539 1488 0343 6467")).toBe("4539148803436467");
    expect([of("luhn", "4539148803436468"), of("luhn", "0"), of("luhn", "00"), of("luhn", "4a")]).toEqual([
      null,
      null,
      "00",
      null,
    ]);
    const sums = ["000000029079593X", "079", "0794", "X79"].map((t) => of("mod 11-2", t));
    expect(sums).toEqual(["000000029079593X", "079", null, null]);
    expect(of("vat", "DE136695976")).toBe("DE136695976");
    expect([of("vat", "DE13669597"), of("vat", "US136695976"), of("vat", "136695976")]).toEqual([null, null, null]);
  });
});

describe("a pattern's groups", () => {
  it("are those with a name, of each match, without those that took no part", () => {
    const pattern = compilePattern("(?P<part>[A-Z]+)-(?<number_1>\\d+)?(x)?");
    expect(pattern.names).toEqual(["part", "number_1"]);
    expect(pattern.groups("AB-12x, CD-")).toEqual([{ part: "AB", number_1: "12" }, { part: "CD" }]);
    expect(pattern.groups("nothing")).toEqual([]);
    expect(compilePattern("a(b)c").names).toEqual([]);
    expect(compilePattern("(?P<_a9>x)").groups("x")).toEqual([{ _a9: "x" }]);
  });
});

describe("a ledger", () => {
  it("is added up byte by byte, and refuses a record without an outcome", () => {
    const balance = emptyBalance();
    addToBalance(
      balance,
      Uint8Array.of(BYTE.inserted, BYTE.inserted, heldByte("read"), heldByte("load"), BYTE.leftOut),
    );
    expect(balance).toMatchObject({ read: 5, heldAt: { read: 1, check: 0, load: 1, "look up": 0 } });
    expect(balance.outcomes).toMatchObject({ inserted: 2, held: 2, "left out": 1, updated: 0 });
    expect(() => addToBalance(balance, Uint8Array.of(0))).toThrow("has no outcome");
  });
});

describe("two ledgers of the same records", () => {
  it("are told by what became of what, each pair once, as far as both have them", () => {
    const before = Uint8Array.of(BYTE.inserted, BYTE.inserted, heldByte("check"), BYTE.leftOut, BYTE.inserted);
    const after = Uint8Array.of(BYTE.inserted, heldByte("load"), BYTE.inserted, BYTE.leftOut);
    expect(transitions(before, after)).toEqual(
      [
        { from: "inserted", to: "inserted", count: 1 },
        { from: "inserted", to: "held", count: 1 },
        { from: "held", to: "inserted", count: 1 },
        { from: "left out", to: "left out", count: 1 },
      ].sort(
        (a, b) =>
          OUTCOMES.indexOf(a.from as never) - OUTCOMES.indexOf(b.from as never) ||
          OUTCOMES.indexOf(a.to as never) - OUTCOMES.indexOf(b.to as never),
      ),
    );
  });

  it("are said in one line, without what no record came to", () => {
    const balance = emptyBalance();
    expect(balanceLine(balance)).toBe("0 read = 0");
    balance.read = 1234;
    balance.outcomes.inserted = 1200;
    balance.outcomes["left out"] = 34;
    expect(balanceLine(balance)).toBe("1,234 read = 1,200 inserted + 34 left out");
    expect(balanceLine(balance, "would be ")).toBe("1,234 read = 1,200 would be inserted + 34 would be left out");
  });
});

describe("a problem", () => {
  it("is told by its parts, and nothing of any other fault but that it is one", () => {
    const problem = new SieveError("no-load", "There is no load 9.", { detail: "It has 8.", hint: "Ask for another." });
    expect(problemParts(problem)).toEqual({
      ...{ code: "no-load", message: "There is no load 9." },
      ...{ detail: "It has 8.", hint: "Ask for another." },
    });
    expect(problemParts(new Error("x"))).toMatchObject({ code: "failure", detail: "" });
    expect(errorLines(problem)).toBe("error: There is no load 9.\ndetail: It has 8.\nhint: Ask for another.");
    expect(errorLines(new SieveError("x", "No."))).toBe("error: No.");
    expect([errorLines(new Error("lost")), errorLines("gone")]).toEqual(["error: lost", "error: gone"]);
  });

  it("quotes values as they can be read, and says sizes and lists in few words", () => {
    expect(quoted("a\u0000b\nc\u007f")).not.toMatch(/[\u0000-\u001f\u007f]/);
    expect(quoted("x".repeat(60))).toBe(`“${"x".repeat(60)}”`);
    expect(quoted("x".repeat(61)).length).toBeLessThan(64);
    expect(quoted("x".repeat(61))).toContain("…");
    expect([byteSize(0), byteSize(999), byteSize(1000), byteSize(9949), byteSize(9950)]).toEqual([
      "0 B",
      "999 B",
      "1.0 kB",
      "9.9 kB",
      "10 kB",
    ]);
    expect([byteSize(999_499), byteSize(999_500), byteSize(3e15)]).toEqual(["999 kB", "1.0 MB", "3000 TB"]);
    expect(quoted("a\nb\tc\u007f\u0001")).toBe("“a⏎b⇥c␡␁”");
    const names = Array.from({ length: 13 }, (_, i) => `n${i}`);
    expect(listed(names)).toBe(`${names.slice(0, 12).join(", ")} and 1 more`);
    expect(listed(names.slice(1))).toBe(names.slice(1).join(", "));
    expect(listed(["x".repeat(40), "y".repeat(41)])).toBe(`${"x".repeat(40)}, ${"y".repeat(39)}…`);
    expect([counted(1, "row"), counted(1200, "row"), counted(2, "entry", "entries")]).toEqual([
      "1 row",
      "1,200 rows",
      "2 entries",
    ]);
  });
});
