import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { compareBytes, indexOfBytes, sameBytes } from "@/core/kernel/bytes.ts";
import { identifierOf } from "@/core/kernel/check-digits.ts";
import { hash32, hashWords } from "@/core/kernel/hash.ts";
import { isMarkColumn, isOwnColumn, isOwnHeading } from "@/core/kernel/own-columns.ts";

/** What everything else is made of, against its definition or what others have computed. */

const encode = (text: string): Uint8Array => new TextEncoder().encode(text);

describe("bytes", () => {
  const between = (before: string, text: string, after: string): [Uint8Array, number, number] => {
    const bytes = encode(before + text + after);
    return [bytes, encode(before).length, encode(before + text).length];
  };

  it("are in the order of their texts' code points, whatever lies around them", () => {
    const points = (text: string): number[] => Array.from(text, (c) => c.codePointAt(0)!);
    const order = (a: string, b: string): number => {
      const [x, y] = [points(a), points(b)];
      const i = x.findIndex((c, k) => c !== y[k]);
      return i < 0 ? Math.sign(x.length - y.length) : i >= y.length ? 1 : Math.sign(x[i]! - y[i]!);
    };
    const text = fc.string({ unit: fc.constantFrom("a", "b", "é", "中", "🌱"), maxLength: 4 });
    fc.assert(
      fc.property(text, text, text, (a, b, around) => {
        expect(Math.sign(compareBytes(...between(around, a, around), encode(b)))).toBe(order(a, b));
        expect(sameBytes(...between(around, a, around), encode(b))).toBe(a === b);
      }),
    );
  });

  it("are found within a span and not past its end", () => {
    const find = (before: string, text: string, after: string, needle: string): number =>
      indexOfBytes(...between(before, text, after), encode(needle)) - encode(before).length;
    expect(find("xx", "ababc", "", "abc")).toBe(2);
    expect(find("abc", "zabc", "abc", "abc")).toBe(1);
    expect(find("abc", "ab", "c", "abc")).toBe(-1 - 3);
    expect(find("", "ab", "", "abc")).toBe(-1);
    expect(find("", "aab", "", "b")).toBe(2);
  });
});

describe("hashes", () => {
  const view = (bytes: readonly number[]): DataView => new DataView(Uint8Array.from(bytes).buffer);
  const words = (...spans: readonly (readonly number[])[]): string => {
    const into = { a: 1, b: 2 };
    for (const span of spans) hashWords(view(span), 0, span.length, into);
    return `${into.a} ${into.b}`;
  };

  it("are of all bytes, in their order, and of how many they are", () => {
    const spans = Array.from({ length: 300 }, (_, i) =>
      Array.from({ length: 1 + (i % 11) }, (__, k) => (i * 7 + k * k) & 255),
    );
    for (const span of spans) {
      const whole = hash32(view(span), 0, span.length);
      for (let i = 0; i < span.length; i++) {
        const other = span.map((b, k) => (k === i ? b ^ 1 : b));
        expect(hash32(view(other), 0, other.length)).not.toBe(whole);
        expect(words(other)).not.toBe(words(span));
      }
      expect(hash32(view([...span, 0]), 0, span.length + 1)).not.toBe(whole);
      expect(hash32(view([9, ...span, 9]), 1, span.length + 1)).toBe(whole);
    }
  });

  it("of spans one after the other are not those of the same bytes divided otherwise", () => {
    expect(words([1, 2], [3])).not.toBe(words([1], [2, 3]));
    expect(words([1, 2, 3, 4], [5])).not.toBe(words([1], [2, 3, 4, 5]));
    expect(words([1, 2], [3])).toBe(words([1, 2], [3]));
  });
});

describe("identifiers", () => {
  // Made up, but for the standards' own examples of check characters.
  it.each([
    ["isin", "SE00ASHM0128", true],
    ["isin", "SE00ASHM0129", false],
    ["lei", "9695ASHMERESEED00015", true],
    ["lei", "9695ASHMERESEED00016", false],
    ["lei", "X9695ASHMERESEED00015", false],
    ["luhn", "79927398713", true],
    ["luhn", "79927398710", false],
    ["luhn", "18", true],
    ["luhn", "81", false],
    ["luhn", "0", false],
    ["mod 11-2", "07940", true],
    ["mod 11-2", "079X", true],
    ["mod 11-2", "X07940", false],
    ["mod 11-2", "07944", false],
    ["mod 97-10", "79444", true],
    ["mod 97-10", "79445", false],
    ["ean", "2000001234570", true],
    ["ean", "2000001234571", false],
    ["issn", "1234-5679", true],
    ["issn", "1234-5670", false],
  ] as const)("%s %s: %s", (kind, text, is) => {
    expect(identifierOf(kind, text) !== null).toBe(is);
  });
});

describe("columns that a file for a sender has besides", () => {
  it("are known in any case, and no others", () => {
    expect([" Sieve Mark ", "sieve mark", "SIEVE MARK"].map(isMarkColumn)).toEqual([true, true, true]);
    expect(["sieve problem", "mark", "sieve marks"].map(isMarkColumn)).toEqual([false, false, false]);
    expect(["Sieve problem ", "sieve mark", "site"].map(isOwnColumn)).toEqual([true, true, false]);
  });

  it("end a heading, however its cells are parted", () => {
    expect(
      ["id,sieve mark,sieve problem", 'id;"sieve mark";"Sieve problem"\r\n1;2;3', "sieve mark|sieve problem"].map(
        isOwnHeading,
      ),
    ).toEqual([true, true, true]);
    expect(["id,sieve mark", "sieve mark,sieve problem,id", "id\nsieve mark,sieve problem"].map(isOwnHeading)).toEqual([
      false,
      false,
      false,
    ]);
  });
});
