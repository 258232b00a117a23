import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Heap, utf8, characters, isUtf8, compareBytes, textOf } from "@/core/kernel/bytes.ts";
import { MemorySpill, Repeats } from "@/core/check/repeats.ts";
import { finishHash, hashSpan, startHash } from "@/core/kernel/hash.ts";
import { Distinct, EXACT_DISTINCT } from "@/core/kernel/distinct.ts";
import { compilePattern } from "@/core/kernel/pattern.ts";
import { SieveError, counted, errorLines, grouped, quoted } from "@/core/kernel/problem.ts";
import { daysIn, exampleOf, parseFormat, parseMoment } from "@/core/type/calendar.ts";
import { newMoment } from "@/core/type/date.ts";
import { compareNumbers, newNumberSpan, scaled, scanNumber } from "@/core/type/number.ts";
import { csvRow } from "@/core/write/csv.ts";
import { encodingOf } from "@/core/read/encoding/names.ts";
import { RE2JS } from "re2js";

describe("a number", () => {
  const written = (n: number): string => {
    const heap = new Heap(new Uint8Array(4), 0);
    const at = heap.appendNumber(n);
    return textOf(heap.bytes, at, heap.length);
  };
  it("is written as the language itself writes it", () => {
    const some = [
      0,
      -0,
      1,
      -1,
      9,
      10,
      1e6,
      1e15,
      1e15 - 1,
      1e21,
      0.1,
      0.1 + 0.2,
      1e-6,
      1e-7,
      5e-324,
      123456.789,
      999999999.999999,
    ];
    for (const n of [...some, NaN, Infinity, -Infinity, 2 ** 53, -(2 ** 31)]) expect(written(n)).toBe(String(n));
    fc.assert(fc.property(fc.double(), (n) => written(n) === String(n)));
    fc.assert(
      fc.property(
        fc.maxSafeInteger(),
        fc.integer({ min: 0, max: 12 }),
        (n, scale) => written(n / 10 ** scale) === String(n / 10 ** scale),
      ),
      { numRuns: 2000 },
    );
    fc.assert(
      fc.property(
        fc.integer(),
        fc.integer({ min: 0, max: 7 }),
        (n, scale) => written(n / 10 ** scale) === String(n / 10 ** scale),
      ),
      { numRuns: 2000 },
    );
  });
});

describe("bytes", () => {
  it("tells UTF-8 as a strict decoder does", () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 8 }), (bytes) => {
        let ok = true;
        try {
          new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(bytes);
        } catch {
          ok = false;
        }
        expect(isUtf8(bytes, 0, bytes.length)).toBe(ok);
      }),
      { numRuns: 3000 },
    );
  });

  it("counts characters, not bytes or units", () => {
    const bytes = utf8("né𝄞");
    expect(characters(bytes, 0, bytes.length)).toBe(3);
  });

  it("compares as code points", () => {
    expect(compareBytes(utf8("abc"), 0, 3, utf8("abd"))).toBeLessThan(0);
    expect(compareBytes(utf8("abc"), 0, 3, utf8("ab"))).toBeGreaterThan(0);
    expect(compareBytes(utf8("abc"), 0, 3, utf8("abc"))).toBe(0);
  });
});

describe("numbers", () => {
  const decimal = fc
    .tuple(fc.constantFrom("", "-", "+"), fc.bigInt({ min: 0n, max: 10n ** 25n }), fc.nat(999))
    .map(([sign, whole, part]) => `${sign}${whole}${part === 0 ? "" : `.${String(part).padStart(3, "0")}`}`);

  it("are compared exactly at any length", () => {
    const scaled = (text: string): bigint => {
      const [whole = "0", part = ""] = text.replace(/^[+-]/, "").split(".");
      return BigInt(`${text.startsWith("-") ? "-" : ""}${whole}${part.padEnd(3, "0")}`);
    };
    fc.assert(
      fc.property(decimal, decimal, (a, b) => {
        const x = newNumberSpan();
        const y = newNumberSpan();
        const [p, q] = [utf8(a), utf8(b)];
        expect(scanNumber(p, 0, p.length, x) && scanNumber(q, 0, q.length, y)).toBe(true);
        const want = scaled(a) < scaled(b) ? -1 : scaled(a) > scaled(b) ? 1 : 0;
        expect(Math.sign(compareNumbers(p, x, q, y))).toBe(want);
      }),
    );
  });

  it.each(["", "-", ".", "1.2.3", "1e5", "0x1", " 1", "1 ", "٣", "1,5", "--1"])("%j is not one", (text) => {
    const bytes = utf8(text);
    expect(scanNumber(bytes, 0, bytes.length, newNumberSpan())).toBe(false);
  });
});

describe("the calendar", () => {
  it("has the days that the platform's has, leap years too", () => {
    for (const year of [1, 4, 100, 400, 1900, 1999, 2000, 2024, 2026, 9999]) {
      for (let month = 1; month <= 12; month++) {
        const last = new Date(0);
        last.setUTCFullYear(year, month, 0);
        expect(daysIn(year, month)).toBe(last.getUTCDate());
      }
    }
  });

  it("reads back whatever it shows as an example", () => {
    for (const format of ["yyyy-MM-dd", "d/M/yyyy", "dd MMM yyyy", "d MMMM yyyy", "yyyy-MM-dd'T'HH:mm:ss.SSSXXX"]) {
      const pieces = parseFormat(format);
      const bytes = utf8(exampleOf(format));
      const moment = newMoment();
      expect(typeof pieces !== "string" && parseMoment(bytes, 0, bytes.length, pieces, moment)).toBe(true);
      expect(moment).toMatchObject({ year: 2026, month: 5, day: 31 });
    }
  });

  it.each(["yyyy-MM", "QQ", "'open", "hh:mm"])("refuses the format %j with a message", (format) => {
    expect(parseFormat(format)).toMatch(/format/);
  });
});

describe("numbers as whole multiples of a power of ten", () => {
  it("are what the digits say, or not a number where that would not be exact", () => {
    const at = (text: string, scale: number): number => {
      const bytes = utf8(`7${text}7`);
      return scaled(bytes, 1, bytes.length - 1, scale);
    };
    expect(at("12.5", 3)).toBe(12_500);
    expect(at("-0.05", 2)).toBe(-5);
    expect(at("+.5", 1)).toBe(5);
    expect(at("5.", 1)).toBe(50);
    expect(at("-0", 2)).toBe(0);
    for (const none of ["", "+", ".", "-.", "1.2.3", "1,5", "1.234", "12345678901234"]) expect(at(none, 2)).toBeNaN();
  });

  it("agree with the exact comparison", () => {
    const number = fc.stringMatching(/^[+-]?\d{1,9}(\.\d{0,4})?$/);
    fc.assert(
      fc.property(number, number, fc.integer({ min: 0, max: 6 }), (a, b, scale) => {
        const [x, y] = [utf8(a), utf8(b)];
        const [s, t] = [newNumberSpan(), newNumberSpan()];
        expect(scanNumber(x, 0, x.length, s) && scanNumber(y, 0, y.length, t)).toBe(true);
        const difference = scaled(x, 0, x.length, scale) - scaled(y, 0, y.length, scale);
        if (!Number.isNaN(difference)) expect(Math.sign(difference)).toBe(Math.sign(compareNumbers(x, s, y, t)));
      }),
      { numRuns: 2000 },
    );
  });
});

describe("patterns", () => {
  it("of a fixed length agree with RE2 on bytes", () => {
    const sources = ["^[A-Z]{3}-\\d{4}-\\d{6}$", "^\\d{2}$", "^[a-c0-2]{2}-x$", "^\\w{3}\\.\\d$"];
    const unit = fc.constantFrom("A", "B", "a", "b", "0", "9", "-", ".", "x", "\n", "é", "_");
    fc.assert(
      fc.property(fc.constantFrom(...sources), fc.string({ unit, maxLength: 15 }), (source, text) => {
        const bytes = utf8(`<${text}>`);
        const found = compilePattern(source).testSpan(bytes, 1, bytes.length - 1);
        expect(found).toBe(RE2JS.compile(source).matcher(text).find());
      }),
      { numRuns: 2000 },
    );
    expect(compilePattern(sources[0]!).testSpan(utf8("BHG-2026-000001"), 0, 15)).toBe(true);
  });

  it("run in linear time on what makes backtracking explode", () => {
    expect(compilePattern("^(a+)+$").test(`${"a".repeat(50_000)}b`)).toBe(false);
    expect(compilePattern("(x+x+)+y").test("x".repeat(20_000))).toBe(false);
  });

  it.each(["(", "(?=a)", "(a)\\1", "[z-a]"])("refuse %j with what is wrong", (source) => {
    expect(() => compilePattern(source)).toThrow(SieveError);
  });
});

describe("repeats", () => {
  const hash = (text: string) => {
    const bytes = utf8(text);
    const h = { a: 0, b: 0 };
    startHash(h);
    hashSpan(bytes, 0, bytes.length, h);
    finishHash(h);
    return h;
  };

  it("finds every repeat and its first, with a filter far too small as well", () => {
    for (const expected of [1, 100_000]) {
      const repeats = new Repeats(expected, new MemorySpill());
      const first = new Map<string, number>();
      const want = new Map<number, number>();
      let suspected = 0;
      for (let i = 0; i < 30_000; i++) {
        const value = i % 50 === 0 ? `v${i / 2}` : `v${i}`;
        const { a, b } = hash(value);
        const suspect = repeats.add(a, b, i, 0, i + 2);
        const known = first.get(value);
        if (known === undefined) first.set(value, i);
        else {
          want.set(i, known);
          expect(suspect).toBe(true);
        }
        if (suspect) suspected++;
      }
      const found = [...repeats.resolve()].flat();
      expect(new Map(found.map((r) => [r.record, r.first]))).toEqual(want);
      expect(found.every((r) => r.line === r.first + 2)).toBe(true);
      if (expected > 1) expect(suspected - want.size).toBeLessThan(30);
    }
  });
});

describe("distinct", () => {
  const count = (n: number): ReturnType<Distinct["finish"]> => {
    const distinct = new Distinct();
    for (let i = 0; i < n; i++) {
      const bytes = utf8(`value ${i}`);
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
      // Twice the value, and an empty cell that counts for nothing.
      const cells = { start: Int32Array.of(0, 0, 2), end: Int32Array.of(bytes.length, bytes.length, 2) };
      distinct.addCells(view, cells, 3);
    }
    return distinct.finish();
  };

  it("is exact for few", () => {
    expect(count(0)).toEqual({ count: 0, estimated: false });
    expect(count(EXACT_DISTINCT)).toEqual({ count: EXACT_DISTINCT, estimated: false });
  });

  it.each([5_000, 20_000, 200_000])("is within four standard errors for %i", (n) => {
    const { count: estimate, estimated } = count(n);
    expect(estimated).toBe(true);
    expect(Math.abs(estimate - n) / n).toBeLessThan(4 * 0.01625);
  });
});

describe("words", () => {
  it("quotes values for people", () => {
    expect(quoted("a\tb\u0000")).toBe("“a⇥b␀”");
    expect(quoted("x".repeat(80))).toHaveLength(62);
    expect(grouped(1234567)).toBe("1,234,567");
    expect(counted(1, "record")).toBe("1 record");
  });

  it("shows three lines of an error and never a stack", () => {
    expect(errorLines(new SieveError("x", "Wrong.", { detail: "Facts.", hint: "Do." }))).toBe(
      "error: Wrong.\ndetail: Facts.\nhint: Do.",
    );
    expect(errorLines(new Error("broken"))).toBe("error: broken");
  });

  it("knows encodings by the names that people use", () => {
    expect(encodingOf("UTF8")).toBe("utf-8");
    expect(encodingOf("latin1")).toBe("iso-8859-1");
    expect(() => encodingOf("klingon")).toThrow(/can be read/);
  });

  it("writes CSV that a spreadsheet does not run", () => {
    expect(csvRow(['a"b', "c,d", "=1+1", "-5", "@x", " end "], true)).toBe('"a""b","c,d",\'=1+1,-5,\'@x," end "\r\n');
    expect(csvRow(["=1+1"])).toBe("=1+1\r\n");
  });
});
