import { describe, expect, it } from "vitest";
import { organisationWords, personWords, plainWords, wordsOf } from "@/core/match/normalise.ts";
import { NumberedTexts, NumberedWords } from "@/core/match/pairs/numbered-texts.ts";

const letters = (n: number): string => n.toString(36).replace(/(.)/g, "$1ab");

describe("numbered texts", () => {
  it("have one number each, in the order in which they came, however many there are", () => {
    const numbered = new NumberedTexts();
    const texts = Array.from({ length: 5_000 }, (_, i) => letters(i * 7));
    expect(texts.map((t) => numbered.of(t))).toEqual(texts.map((_, i) => i + 1));
    expect(texts.map((t) => numbered.of(`${t}`))).toEqual(texts.map((_, i) => i + 1));
    expect(numbered.texts).toEqual(["", ...texts]);
  });
  it("tell texts apart that have one hash", () => {
    const hashOf = (text: string): number =>
      [...text].reduce((hash, letter) => Math.imul(hash ^ letter.charCodeAt(0), 0x01000193), 0x811c9dc5);
    const met = new Map<number, string>();
    const alike: [string, string][] = [];
    for (let i = 0; alike.length < 3; i++) {
      const text = letters(i * 2_654_435);
      const hash = hashOf(text);
      const other = met.get(hash);
      if (other !== undefined) alike.push([other, text]);
      met.set(hash, text);
    }
    const numbered = new NumberedTexts();
    for (const [i, [a, b]] of alike.entries()) {
      expect(a).not.toBe(b);
      expect([numbered.of(a), numbered.of(b), numbered.of(a)]).toEqual([2 * i + 1, 2 * i + 2, 2 * i + 1]);
    }
  });
  it("count nothing as number 0, and forget all", () => {
    const numbered = new NumberedTexts();
    expect([numbered.of(""), numbered.of("a"), numbered.of("")]).toEqual([0, 1, 0]);
    numbered.clear();
    expect(numbered.texts).toEqual([""]);
    expect(numbered.of("b")).toBe(1);
  });
});

/** Texts that are looked for first in one slot of a table of 1,024 or fewer. */
function oneSlot(count: number): string[] {
  const found: string[] = [];
  for (let i = 0; found.length < count; i++) {
    const text = `t${i}`;
    let hash = 0x811c9dc5;
    for (const letter of text) hash = Math.imul(hash ^ letter.charCodeAt(0), 0x01000193);
    if (((hash ^ (hash >>> 15)) & 1023) === 7) found.push(text);
  }
  return found;
}

describe("what is made so that all of it falls on one slot", () => {
  const texts = oneSlot(300);
  it("is told apart all the same, also when there come to be more", () => {
    const numbered = new NumberedTexts();
    const numbers = texts.map((_, i) => i + 1);
    expect(texts.map((t) => numbered.of(t))).toEqual(numbers);
    expect(texts.map((t) => numbered.of(t))).toEqual(numbers);
    for (let i = 0; i < 3_000; i++) numbered.of(`other ${i}`);
    expect(texts.map((t) => numbered.of(t))).toEqual(numbers);
    expect(numbered.texts.slice(1, 301)).toEqual(texts);
    numbered.clear();
    expect(texts.map((t) => numbered.of(t))).toEqual(numbers);
  });
  it("has words forgotten that are found again as new ones", () => {
    const numbered = new NumberedWords(512);
    for (const [i, text] of texts.slice(0, 64).entries()) expect(numbered.of(text, 0)).toBe(i);
    expect([numbered.of(texts[64]!, 0), numbered.fresh]).toEqual([64, true]);
    expect([numbered.of(texts[64]!, 0), numbered.fresh]).toEqual([64, false]);
    expect([numbered.of(texts[1]!, 0), numbered.fresh]).toEqual([1, false]);
    expect([numbered.of(texts[0]!, 0), numbered.fresh]).toEqual([65, true]);
  });
});

describe("numbered words", () => {
  const numbersOf = (numbered: NumberedWords, text: string): [number, boolean][] => {
    const found: [number, boolean][] = [];
    for (let from = 0; from <= text.length; from = numbered.end + 1)
      found.push([numbered.of(text, from), numbered.fresh]);
    return found;
  };
  it("are those between blanks, each with one number", () => {
    const numbered = new NumberedWords(100);
    expect(numbersOf(numbered, "a ba a")).toEqual([
      [0, true],
      [1, true],
      [0, false],
    ]);
    expect(numbersOf(numbered, "ab ba")).toEqual([
      [2, true],
      [1, false],
    ]);
  });
  it("begin anew when there are too many", () => {
    const numbered = new NumberedWords(3);
    expect(numbersOf(numbered, "a b c d a").map(([n]) => n)).toEqual([0, 1, 2, 0, 1]);
    expect(numbered.fresh).toBe(true);
    expect(numbersOf(numbered, "d")).toEqual([[0, false]]);
  });
});

describe("a value made plain", () => {
  const slowly = (text: string): string =>
    text
      .normalize("NFKD")
      .replace(/\p{M}/gu, "")
      .toLowerCase()
      .replace(/['’`´]/g, "")
      .replace(/[^\p{L}\p{N}]+/gu, " ")
      .trim();
  it("is the same whether it takes the short way or the long one", () => {
    const marks = ["", " ", "  ", ".", ",", "'", "-", ";", ":", "/", "(", "é", "A", "b", "7", "&", "\t"];
    for (const a of marks)
      for (const b of marks)
        for (const c of marks) {
          const text = `${a}Ab${b}c${c}`;
          expect([text, plainWords(text)]).toEqual([text, slowly(text)]);
        }
    for (const text of ["", " ", "'", "-", "''", " ' "]) expect([text, plainWords(text)]).toEqual([text, ""]);
  });
  it("is without titles and particles, or legal forms, where something is left", () => {
    expect(personWords("Dr. Sorrel van der Ness")).toBe("sorrel ness");
    expect(personWords("NESS, Sorrel")).toBe("sorrel ness");
    expect(personWords("Vanda Derby")).toBe("vanda derby");
    expect(personWords("van de")).toBe("van de");
    expect(organisationWords("Tarn & Sons Ltd.")).toBe("tarn sons");
    expect(organisationWords("Limited")).toBe("limited");
  });
  it("has words where its blanks are", () => {
    for (const text of ["", "a", "a b", " a", "a ", "a  b"]) expect(wordsOf(text)).toEqual(text.split(" "));
  });
});
