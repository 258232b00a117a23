import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Heap, cellText, emptyCells, utf8 } from "@/core/kernel/bytes.ts";
import { typePart, type TypeId } from "@/core/type/index.ts";
import { compareNumbers, newNumberSpan, scaled, scanNumber } from "@/core/type/number.ts";
import { scaledText } from "@/core/type/scaled.ts";

/** Types beside plain arithmetic that is slow and known to be right. */

/** What becomes of a value between others of a block; null where it is not of the type. */
function taken(type: TypeId, options: object, text: string): string | null {
  const texts = ["", text, ""];
  const heap = new Heap(utf8(`9${texts.join("9")}9`));
  const cells = emptyCells(3);
  let at = 1;
  texts.forEach((t, r) => {
    cells.start[r] = at;
    cells.end[r] = at + utf8(t).length;
    at += utf8(t).length + 1;
  });
  const bad = new Int32Array(3);
  const failed = typePart(type).convert(options)(heap, cells, 3, bad);
  expect([cellText(heap, cells, 0), cellText(heap, cells, 2)]).toEqual(["", ""]);
  if (failed === 0) return cellText(heap, cells, 1);
  expect([failed, bad[0], cellText(heap, cells, 1)]).toEqual([1, 1, text]);
  return null;
}

const NUMBER = /^([+-]?)(\d*)(?:\.(\d*))?$/;
const digits = fc.string({ unit: fc.constantFrom(..."0123456789"), maxLength: 22 });
const numberText = fc.oneof(
  fc.tuple(fc.constantFrom("", "-", "+"), digits, fc.constantFrom("", "."), digits).map((t) => t.join("")),
  fc.string({ unit: fc.constantFrom(..."0019+-./:; e"), maxLength: 8 }),
);

/** A number's digits before the point without leading zeros and after it without trailing ones; null for what is none. */
function partsOf(text: string): { negative: boolean; whole: string; part: string } | null {
  const [all, sign, whole = "", part = ""] = NUMBER.exec(text) ?? [];
  if (all === undefined || whole + part === "") return null;
  return { negative: sign === "-", whole: whole.replace(/^0+/, ""), part: part.replace(/0+$/, "") };
}

/** The number as a whole number of units of 10^-30. */
function exact(text: string): bigint {
  const { negative, whole, part } = partsOf(text)!;
  const units = BigInt(whole + part.padEnd(30, "0"));
  return negative ? -units : units;
}

describe("numbers", () => {
  it("are decimals where their digits fit, and keep each digit", () => {
    fc.assert(
      fc.property(numberText, fc.integer({ min: 1, max: 12 }), fc.nat(6), (text, precision, scale) => {
        fc.pre(scale <= precision && text !== "");
        const parts = partsOf(text);
        const fits = parts !== null && parts.whole.length <= precision - scale && parts.part.length <= scale;
        expect(taken("decimal", { precision, scale }, text)).toBe(fits ? text.replace(/^\+/, "") : null);
      }),
      { numRuns: 3000 },
    );
  });

  it("are whole within 64 bits", () => {
    const near = fc.tuple(
      fc.constantFrom("9223372036854775807", "9223372036854775808"),
      fc.bigInt({ min: -3n, max: 3n }),
    );
    const edge = near.map(([edge, off]) => String(BigInt(edge) + off));
    const signed = fc.tuple(fc.constantFrom("", "-", "+", "000"), fc.oneof(edge, digits)).map((t) => t.join(""));
    fc.assert(
      fc.property(fc.oneof(signed, numberText), (text) => {
        fc.pre(text !== "");
        const parts = partsOf(text);
        const n = parts && !text.includes(".") ? exact(text) / 10n ** 30n : null;
        const fits = n !== null && n <= 2n ** 63n - 1n && n >= -(2n ** 63n);
        expect(taken("integer", {}, text)).toBe(fits ? text.replace(/^\+/, "") : null);
      }),
      { numRuns: 3000 },
    );
  });

  it("are compared digit by digit, whatever zeros and signs they have", () => {
    const span = (text: string) => {
      const into = newNumberSpan();
      const bytes = utf8(text);
      return scanNumber(bytes, 0, bytes.length, into) ? { bytes, into } : null;
    };
    const few = fc
      .tuple(
        fc.constantFrom("", "-", "+"),
        fc.constantFrom("0", "00", "1", "9", "10", ""),
        fc.constantFrom("", ".", ".0", ".5", ".50", ".05", ".51"),
      )
      .map((t) => t.join(""));
    fc.assert(
      fc.property(fc.oneof(few, numberText), fc.oneof(few, numberText), (a, b) => {
        const [x, y] = [span(a), span(b)];
        expect([x !== null, y !== null]).toEqual([partsOf(a) !== null, partsOf(b) !== null]);
        if (!x || !y) return;
        const apart = exact(a) - exact(b);
        expect(Math.sign(compareNumbers(x.bytes, x.into, y.bytes, y.into))).toBe(apart < 0n ? -1 : apart > 0n ? 1 : 0);
      }),
      { numRuns: 3000 },
    );
  });

  it("are whole units of their last digit as long as a double holds them", () => {
    fc.assert(
      fc.property(numberText, fc.nat(6), (text, scale) => {
        const bytes = utf8(text);
        const units = scaled(bytes, 0, bytes.length, scale);
        if (Number.isNaN(units)) return;
        expect(BigInt(units) * 10n ** BigInt(30 - scale)).toBe(exact(text));
      }),
      { numRuns: 3000 },
    );
    const of = (text: string, scale: number) => scaled(utf8(text), 0, utf8(text).length, scale);
    expect([of("12.5", 1), of("-12.5", 2), of("+7", 0), of(".5", 1), of("5.", 1)]).toEqual([125, -1250, 7, 5, 50]);
    expect([of("12.55", 1), of("", 1), of(".", 1), of("1.2.3", 3), of("1234567890123456", 0), of("1e3", 3)]).toEqual(
      Array.from({ length: 6 }, () => NaN),
    );
  });

  it("are written with no more digits than they have", () => {
    expect([
      scaledText(0n, 0),
      scaledText(0n, 3),
      scaledText(-5n, 0),
      scaledText(-5n, 2),
      scaledText(1200n, 2),
    ]).toEqual(["0", "0", "-5", "-0.05", "12"]);
    fc.assert(
      fc.property(fc.bigInt({ min: -(10n ** 20n), max: 10n ** 20n }), fc.nat(9), (units, scale) => {
        expect(exact(scaledText(units, scale))).toBe(units * 10n ** BigInt(30 - scale));
      }),
    );
  });
});

describe("days and times", () => {
  const pad = (n: number, width = 2): string => String(n).padStart(width, "0");
  /** Whether the calendar has the day, by the platform's own. */
  const exists = (y: number, m: number, d: number): boolean => {
    const at = new Date(0);
    at.setUTCFullYear(y, m - 1, d);
    return y >= 1 && at.getUTCFullYear() === y && at.getUTCMonth() === m - 1 && at.getUTCDate() === d;
  };
  const day = fc.record({
    y: fc.oneof(fc.integer({ min: 0, max: 9999 }), fc.constantFrom(1900, 2000, 2024, 2100, 4, 100)),
    m: fc.integer({ min: 0, max: 13 }),
    d: fc.integer({ min: 0, max: 32 }),
  });

  it("are those of the calendar, in every order", () => {
    fc.assert(
      fc.property(
        day,
        fc.constantFrom("yyyy-MM-dd", "dd.MM.yyyy", "d/M/yyyy", "yyyyMMdd", "dd MMM yyyy"),
        (on, format) => {
          const { y, m, d } = on;
          const months = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
          const text: Record<string, string> = {
            "yyyy-MM-dd": `${pad(y, 4)}-${pad(m)}-${pad(d)}`,
            "dd.MM.yyyy": `${pad(d)}.${pad(m)}.${pad(y, 4)}`,
            "d/M/yyyy": `${d}/${m}/${pad(y, 4)}`,
            yyyyMMdd: `${pad(y, 4)}${pad(m)}${pad(d)}`,
            "dd MMM yyyy": `${pad(d)} ${months[m - 1] ?? "Not"} ${pad(y, 4)}`,
          };
          const canonical = exists(y, m, d) ? `${pad(y, 4)}-${pad(m)}-${pad(d)}` : null;
          expect(taken("date", { formats: [format] }, text[format]!)).toBe(canonical);
        },
      ),
      { numRuns: 4000 },
    );
  });

  it("are those that the formats say, and nothing near them", () => {
    const of = (text: string, format = "yyyy-MM-dd") => taken("date", { formats: [format] }, text);
    for (const text of [
      "2026-05-3",
      "2026-5-31",
      "26-05-31",
      "2026-05-31 ",
      " 2026-05-31",
      "2026-05-311",
      "2026/05/31",
      "2026-05-",
      "2026-05-3x",
      "x026-05-31",
      "2026-05/31",
    ]) {
      expect(of(text), text).toBeNull();
    }
    expect([of("1/2/2026", "d/M/yyyy"), of("01/02/2026", "d/M/yyyy"), of("1/2/2026", "dd/MM/yyyy")]).toEqual([
      "2026-02-01",
      "2026-02-01",
      null,
    ]);
    expect(of("31st 2026-05-31", "'31st' yyyy-MM-dd")).toBe("2026-05-31");
    expect(of("31s 2026-05-31", "'31st' yyyy-MM-dd")).toBeNull();
    expect(of("o'clock 2026-05-31", "'o''clock' yyyy-MM-dd")).toBe("2026-05-31");
    expect(of("'2026-05-31'", "''yyyy-MM-dd''")).toBe("2026-05-31");
    expect(() => of("x", "'o yyyy-MM-dd")).toThrow(/never closed/);
  });

  it("are moments in UTC, offsets taken out and fractions kept", () => {
    const formats = ["yyyy-MM-dd'T'HH:mm:ss.SSSSSSXXX", "yyyy-MM-dd'T'HH:mm:ssXXX", "yyyy-MM-dd HH:mm"];
    const moment = fc.record({
      ms: fc.integer({ min: Date.UTC(1800, 0, 1), max: Date.UTC(2200, 0, 1) }),
      micro: fc.nat(999_999),
      fraction: fc.integer({ min: 0, max: 6 }),
      offset: fc.integer({ min: -15 * 60 - 59, max: 15 * 60 + 59 }),
    });
    fc.assert(
      fc.property(moment, ({ ms, micro, fraction, offset }) => {
        const at = Math.floor(ms / 1000) * 1000;
        const local = new Date(at + offset * 60_000).toISOString().slice(0, 19);
        const part = fraction === 0 ? "" : `.${pad(micro, 6).slice(0, fraction)}`;
        const off = Math.abs(offset);
        const zone = offset === 0 ? "Z" : `${offset < 0 ? "-" : "+"}${pad(Math.floor(off / 60))}:${pad(off % 60)}`;
        const micros = part.slice(1).padEnd(6, "0");
        const expected = `${new Date(at).toISOString().slice(0, 19).replace("T", " ")}.${micros}+00`;
        expect(taken("timestamp", { formats }, `${local}${part}${zone}`)).toBe(expected);
      }),
      { numRuns: 2000 },
    );
    const none = [
      "2026-05-31T14:05:09",
      "2026-05-31T14:05:60Z",
      "2026-05-31T14:60:00Z",
      "2026-05-31T24:00:00Z",
      "2026-05-31T14:05:09.Z",
      "2026-05-31T14:05:09.1234567Z",
      "2026-05-31T14:05:09+16:00",
      "2026-05-31T14:05:09+01:60",
      "2026-05-31T14:05:09+0100",
      "2026-05-31T14:05:09*01:00",
      "2026-05-31T14:05:09+1:00",
      "2026-05-31T14:05:09+01:0",
      "2026-05-31T14:05:09+aa:00",
    ];
    for (const text of none) expect(taken("timestamp", { formats }, text), text).toBeNull();
    expect(taken("timestamp", { formats }, "0001-01-01T00:30:00+01:00")).toBeNull();
    expect(taken("timestamp", { formats }, "9999-12-31T23:30:00-01:00")).toBeNull();
    expect(taken("timestamp", { formats }, "2026-05-31T14:05:09z")).toBe("2026-05-31 14:05:09.000000+00");
  });
});

it("codes are the values of their list, however many there are, and nothing else", () => {
  const values = Array.from({ length: 300 }, (_, i) => `c${i * 7}`).concat("", "é", "Aa", "BB");
  const list = values.filter((v) => v !== "");
  for (const value of list) expect(taken("code", { values: list }, value)).toBe(value);
  // Aa and BB have one hash by the usual multiplication with 31.
  expect(taken("code", { values: ["Aa"] }, "BB")).toBeNull();
  for (const other of ["c1", "C7", "c78", "c", " c7", "e"])
    expect(taken("code", { values: list }, other), other).toBeNull();
});
