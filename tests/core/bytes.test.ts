import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Heap, isUtf8, textOf, utf8, utf8Length } from "@/core/kernel/bytes.ts";

/** Texts without half a surrogate pair: what a decoder gives. */
const whole = fc.string({ unit: "grapheme-composite", maxLength: 40 });

describe("a heap of bytes", () => {
  it("writes many texts at once as it writes them one by one", () => {
    fc.assert(
      fc.property(fc.array(whole, { maxLength: 30 }), fc.nat(5), fc.nat(3), (texts, skip, gap) => {
        const from = Math.min(skip, texts.length);
        const step = gap + 1;
        const start = new Int32Array(texts.length * step + 1).fill(-1);
        const end = start.slice();
        const heap = new Heap(new Uint8Array(4), 0);
        heap.append("before");
        heap.appendTexts(texts, from, texts.length, start, end, 1, step);
        const length = heap.length;
        heap.append("after");
        const read = texts.slice(from).map((_, i) => textOf(heap.bytes, start[1 + i * step]!, end[1 + i * step]!));
        expect(read).toEqual(texts.slice(from));
        expect(length).toBe(6 + texts.slice(from).reduce((n, t) => n + utf8Length(t), 0));
        expect(textOf(heap.bytes, 0, 6) + textOf(heap.bytes, length, heap.length)).toBe("beforeafter");
        // Nothing but the asked-for places is touched.
        expect(start.filter((v) => v >= 0).length).toBe(texts.length - from);
      }),
    );
  });

  it("writes numbers as String does", () => {
    fc.assert(
      fc.property(
        fc.oneof(fc.integer(), fc.double({ noNaN: true, noDefaultInfinity: true }), fc.maxSafeInteger()),
        (n) => {
          const heap = new Heap(new Uint8Array(0), 0);
          const at = heap.appendNumber(n);
          expect(textOf(heap.bytes, at, heap.length)).toBe(String(n));
        },
      ),
    );
    for (const n of [0, 0.1, -0.000001, 1.5, 123456.789, 1e15, -1e14, 0.1 + 0.2, 5e-324]) {
      const heap = new Heap(new Uint8Array(0), 0);
      const at = heap.appendNumber(n);
      expect(textOf(heap.bytes, at, heap.length)).toBe(String(n));
    }
  });

  it("tells bytes that are ASCII, and grows", () => {
    const heap = new Heap(new Uint8Array(0), 0);
    expect(heap.appendBytes(utf8("plain"))).toBe(true);
    expect(heap.appendBytes(utf8("é"))).toBe(false);
    expect(heap.appendBytes(utf8("x".repeat(500)))).toBe(true);
    expect(heap.appendBytes(utf8(`${"x".repeat(500)}é`))).toBe(false);
    expect(heap.length).toBe(5 + 2 + 500 + 502);
    heap.appendSpan(heap.bytes, 5, 7);
    expect(textOf(heap.bytes, heap.length - 2, heap.length)).toBe("é");
  });

  it("knows well-formed UTF-8 as a strict decoder does", () => {
    const strict = new TextDecoder("utf-8", { fatal: true });
    const decodes = (bytes: Uint8Array): boolean => {
      try {
        strict.decode(bytes);
        return true;
      } catch {
        return false;
      }
    };
    const near = fc.uint8Array({ maxLength: 8 }).map((b) => b.map((x) => (x < 96 ? 0xe0 + (x % 24) : x)));
    fc.assert(
      fc.property(fc.oneof(fc.uint8Array({ maxLength: 12 }), near, whole.map(utf8)), (bytes) => {
        expect(isUtf8(bytes, 0, bytes.length)).toBe(decodes(bytes));
      }),
      { numRuns: 2000 },
    );
  });
});
