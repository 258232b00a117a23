import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Heap, cellText, emptyCells, isUtf8 } from "@/core/kernel/bytes.ts";
import { STEP_IDS, stepPart } from "@/core/cleanse/index.ts";
import { plainNumber } from "@/core/type/written-number.ts";

/** ECMAScript's own formatting is the oracle: what it writes must be read back. */
const LOCALES = [
  "en-GB",
  "en-IN",
  "de-DE",
  "de-AT",
  "de-CH",
  "fr-FR",
  "fr-CH",
  "es-ES",
  "it-IT",
  "nl-NL",
  "pt-PT",
  "pt-BR",
  "sv-SE",
  "nb-NO",
  "da-DK",
  "fi-FI",
  "is-IS",
  "pl-PL",
  "cs-CZ",
  "sk-SK",
  "hu-HU",
  "ro-RO",
  "hr-HR",
  "sl-SI",
  "et-EE",
  "lv-LV",
  "lt-LT",
  "el-GR",
  "tr-TR",
  "ru-RU",
  "uk-UA",
  "he-IL",
  "ja-JP",
  "ko-KR",
  "zh-CN",
  "id-ID",
  "ar-EG",
  "fa-IR",
  "hi-IN",
  "bn-BD",
  "mr-IN",
];

function markOf(locale: string): "." | "," | "'" | "٫" {
  const parts = new Intl.NumberFormat(locale).formatToParts(1.5);
  return parts.find((p) => p.type === "decimal")!.value as ".";
}

describe.each(LOCALES)("numbers as they are written in %s", (locale) => {
  const mark = markOf(locale);
  const numbers = [0, 7, -7, 12.5, -0.25, 999.999, 1000, 1234.5, -1234567.891, 98765432.1, 1e9];

  it("are read back, with groups and without", () => {
    for (const n of numbers) {
      for (const useGrouping of [true, false]) {
        const text = new Intl.NumberFormat(locale, { useGrouping, maximumFractionDigits: 3 }).format(n);
        expect(Number(plainNumber(text, mark, false)), `${text} for ${n}`).toBe(n);
      }
    }
  });

  it("are read back with a currency's mark, in brackets, and as shares", () => {
    for (const n of [12.5, -1234.56, 1234567.89]) {
      for (const currency of ["EUR", "GBP", "USD"]) {
        for (const currencyDisplay of ["symbol", "narrowSymbol", "code"] as const) {
          const format = new Intl.NumberFormat(locale, { style: "currency", currency, currencyDisplay });
          const text = format.format(n);
          // Some write US$ for the dollar; letters before the mark are no part of a number.
          if (/[A-Za-z]\p{Sc}|\p{Sc}[A-Za-z]/u.test(text)) continue;
          const own = format.formatToParts(n).find((p) => p.type === "decimal")!.value as ".";
          expect(Number(plainNumber(text, own, false)), `${text} for ${n}`).toBe(n);
        }
      }
    }
    const share = new Intl.NumberFormat(locale, { style: "percent", maximumFractionDigits: 2 });
    for (const n of [0.125, 0.5, 1, 12.3456]) {
      expect(Number(plainNumber(share.format(n), mark, true)), share.format(n)).toBe(n);
    }
  });
});

describe("every step", () => {
  it.each(STEP_IDS.filter((id) => !stepPart(id).record))("%s takes any text at all and gives text", (id) => {
    const part = stepPart(id);
    fc.assert(
      fc.property(
        fc.constantFrom(...part.examples.map((e) => e.options)),
        fc.oneof(
          fc.string({ unit: "binary", maxLength: 20 }),
          fc.constantFrom("=1+1", "'; drop table x; --", "<b>", "\u202e\u0000"),
        ),
        (options, text) => {
          const heap = new Heap(new Uint8Array(16), 0);
          const cells = emptyCells(1);
          cells.start[0] = heap.append(text);
          cells.end[0] = heap.length;
          const changed = new Uint8Array(1);
          const n = part.apply(options)(heap, cells, 1, changed);
          expect(isUtf8(heap.bytes, cells.start[0], cells.end[0])).toBe(true);
          expect(n).toBe(changed[0]);
          // Done again it changes nothing more, but for steps that are told to add or cut.
          if (!["case", "replace", "keep", "pad", "serial-date", "number", "coordinate"].includes(id)) {
            const once = cellText(heap, cells, 0);
            part.apply(options)(heap, cells, 1, changed);
            expect(cellText(heap, cells, 0)).toBe(once);
          }
        },
      ),
    );
  });
});
