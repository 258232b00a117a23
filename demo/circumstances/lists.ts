import { numbersFrom } from "../../src/core/kernel/random.ts";
import type { Reference } from "../../src/core/kernel/reference.ts";
import { plainWords } from "../../src/core/match/normalise.ts";

/** Names of lands or languages in a tongue: lists whose shape nobody here has made. */
export function namesOf(tongue: string, type: "region" | "language"): string[] {
  const names = new Intl.DisplayNames([tongue], { type, fallback: "none" });
  const letters = [..."ABCDEFGHIJKLMNOPQRSTUVWXYZ"];
  const codes = letters.flatMap((a) => letters.map((b) => (type === "region" ? a + b : (a + b).toLowerCase())));
  return [...new Set(codes.flatMap((code) => names.of(code) ?? []))];
}

/** Errors of another hand than those that limits are tried with: sounds, doubled letters, cut words, words in another order. */
export function misspelled(text: string, below: (n: number) => number): string {
  const sounds = "m/rn l/1 ie/ei e/a s/ss t/tt c/k ph/f y/i ou/u ll/l z/s u/v a/o".split(" ").map((s) => s.split("/"));
  for (let n = 0; n < 40; n++) {
    const words = text.split(" ");
    if (words.length > 1 && below(5) === 0) return [words.at(-1), ...words.slice(0, -1)].join(" ");
    if (words.length > 1 && below(6) === 0 && words[0]!.length > 4)
      return [`${words[0]!.slice(0, 4)}.`, ...words.slice(1)].join(" ");
    const [from, to] = sounds[below(sounds.length)] as [string, string];
    const at = text.toLowerCase().indexOf(from);
    if (at > 0) return text.slice(0, at) + to + text.slice(at + from.length);
  }
  return `${text}s`;
}

/** Names as a list of one column. */
export const listOf = (names: readonly string[]): Reference => ({
  name: "names",
  version: 1,
  columns: ["name"],
  key: "name",
  entries: names.map((n) => [n]),
});

/** Half of the names as a list, and misspelled ones asked for, of which so large a share has an entry. */
export function asking(names: readonly string[], share: number, seed: number) {
  const below = numbersFrom(seed);
  const shuffled = names
    .map((n) => [below(1_000_000), n] as const)
    .sort((a, b) => a[0] - b[0])
    .map(([, n]) => n);
  const half = Math.floor(shuffled.length / 2);
  const list = shuffled.slice(0, half);
  const plain = new Set(list.map(plainWords));
  const asked: { text: string; entry: number }[] = [];
  while (asked.length < 600) {
    const entry = below(1000) < share * 1000 ? below(half) : -1;
    const text = misspelled(entry >= 0 ? list[entry]! : shuffled[half + below(shuffled.length - half)]!, below);
    if (!plain.has(plainWords(text))) asked.push({ text, entry });
  }
  return { reference: listOf(list), asked };
}
