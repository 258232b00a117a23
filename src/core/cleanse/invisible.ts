import { byText, type StepPart } from "./part.ts";

/** Spaces that are not the plain one, and characters that show nothing (Unicode's Cf, controls, fillers). */
const ODD_SPACES = /[\u00a0\u1680\u2000-\u200a\u202f\u205f\u3000]/g;
const UNSEEN =
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f\u00ad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ufff9-\ufffb]|\u034f/g;

/** Makes unusual spaces plain ones, and takes away what can't be seen. */
export const invisible: StepPart<object> = {
  id: "invisible",
  title: "Invisible characters",
  about: "Makes non-breaking and other unusual spaces plain, and takes away characters that show nothing.",
  everywhere: true,
  options: {},
  words: () => "plain spaces, no invisible characters",
  apply: () => byText((text) => text.replace(ODD_SPACES, " ").replace(UNSEEN, ""), mayHave),
  examples: [
    { options: {}, from: "Gull\u00a0Ness", to: "Gull Ness" },
    { options: {}, from: "\ufeffTern\u200b Bank\u00ad", to: "Tern Bank" },
    { options: {}, from: "Mill\u2009Creek\u0007", to: "Mill Creek" },
    { options: {}, from: "Ålund\tfen", to: "Ålund\tfen" },
  ],
};

/** Bytes that a character which is not as it seems may begin with: controls but tab and line feed, and all past ASCII. */
const MAY_HAVE = Uint8Array.from({ length: 256 }, (_, b) => (b > 126 || (b < 32 && b !== 9 && b !== 10) ? 1 : 0));

function mayHave(bytes: Uint8Array, start: number, end: number): boolean {
  for (let p = start; p < end; p++) if (MAY_HAVE[bytes[p]!] === 1) return true;
  return false;
}
