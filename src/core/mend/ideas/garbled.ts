import type { Idea, IdeaMaker } from "./part.ts";

/** Encodings for which UTF-8 is often taken. */
const TAKEN_FOR = ["windows-1252", "windows-1250", "windows-1251", "macintosh"] as const;

/** The characters of the bytes 0x80 to 0x9f in windows-1252 (WHATWG); some runtimes have controls there instead. */
const OF_1252 = "€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ";

function charactersOf(name: (typeof TAKEN_FOR)[number], bytes: Uint8Array): string[] {
  const all = [...new TextDecoder(name).decode(bytes)];
  return name === "windows-1252" ? [...all.slice(0, 0x80), ...OF_1252, ...all.slice(0xa0)] : all;
}

let tables: readonly ReadonlyMap<string, number>[] | null = null;

/** The byte of each character of such an encoding. */
function bytesOf(): readonly ReadonlyMap<string, number>[] {
  const all = Uint8Array.from({ length: 256 }, (_, byte) => byte);
  return (tables ??= TAKEN_FOR.map((name) => new Map(charactersOf(name, all).map((c, byte) => [c, byte] as const))));
}

const utf8 = new TextDecoder("utf-8", { fatal: true });

/** The text that stands in UTF-8 behind one that was read in another encoding; null where there is none. */
export function ungarbled(text: string): string | null {
  if (!/[^\u0000-\u007f]/.test(text)) return null;
  for (const table of bytesOf()) {
    // Steps may have made a usual space of the one that does not break.
    for (const as of [text, text.replace(/(?<=[\u00c2\u00c3\u0102]) /g, "\u00a0")]) {
      const bytes = [...as].map((c) => table.get(c));
      if (bytes.includes(undefined)) continue;
      try {
        return utf8.decode(Uint8Array.from(bytes as number[]));
      } catch {
        // Its bytes are no UTF-8: nothing was taken for another encoding here.
      }
    }
  }
  return null;
}

/** What a text says whose bytes in UTF-8 were taken for those of another encoding. */
export const garbledIdeas: IdeaMaker =
  () =>
  ({ value }) => {
    const to = ungarbled(value);
    const idea: Idea[] = to === null ? [] : [{ to, because: "it was read in another encoding than it was written in" }];
    return idea;
  };
