import { SieveError, listed } from "../../kernel/problem.ts";
import type { Contents } from "./contents.ts";

/** What a pattern of a name may speak of beside the number of the file, `{n}`, and the parameters of a run. */
export const NAME_PARTS = ["feed", "load", "sender", "day"] as const;
export type AboutFile = Readonly<Record<(typeof NAME_PARTS)[number], string>> & Readonly<Record<string, string>>;

/** The pattern of names where nobody has said one; `load`: the one of which alone something is written. */
export function usualName(load: number | undefined, what: Contents = "rows"): string {
  const of = what === "rows" || what === "accepted" ? "{feed}" : `{feed}-${what}`;
  return load === undefined ? `${of}-{day}` : `${of}-load-{load}`;
}

/** A sender as a part of a file's name, which has not all letters that senders have. */
export function senderPart(sender: string): string {
  const plain = sender.trim().replace(/[^\p{L}\p{N} ._-]+/gu, "_");
  return plain === "" ? "no sender" : plain;
}

/** Digits of a file's number. */
const DIGITS = 4;

/**
 * A file's name from a pattern such as `{feed}-{day}-{n}`, without its ending. Where there may be several files and the
 * pattern has no `{n}`, the number stands behind. Throws `out-unfit` for what is no name everywhere.
 */
export function fileName(pattern: string, about: AboutFile, n: number | null): string {
  const number = n === null ? "" : String(n).padStart(DIGITS, "0");
  const numbered = n !== null && !pattern.includes("{n}") ? `${pattern}-{n}` : pattern;
  const name = numbered.replace(/\{(\w*)\}/g, (_, part: string) => {
    if (part === "n") return number;
    if (!Object.hasOwn(about, part)) {
      throw new SieveError("out-unfit", `A file's name knows no {${part}}.`, {
        hint: `It may have ${listed([...Object.keys(about), "n"].map((p) => `{${p}}`))}.`,
      });
    }
    return about[part]!;
  });
  if (!/^[\p{L}\p{N}][\p{L}\p{N} ._-]{0,150}$/u.test(name) || name.endsWith(".")) {
    throw new SieveError("out-unfit", `“${name}” is no name for a file.`, {
      detail:
        "It may have letters, digits, blanks, points, hyphens and low lines, and begins with a letter or a digit.",
      hint: "Take another pattern.",
    });
  }
  return name;
}
