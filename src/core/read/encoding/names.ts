import { SieveError } from "../../kernel/problem.ts";

/**
 * Encodings by script, the commonest first: all of the WHATWG Encoding Standard, and those of older machines. Where two
 * names mean the same table, or one holds all of the other, there is one of them.
 */
export const ENCODING_GROUPS = [
  { title: "Unicode", encodings: ["utf-8", "utf-16le", "utf-16be", "utf-32le", "utf-32be"] },
  {
    title: "Western Europe",
    encodings: [
      "windows-1252",
      "iso-8859-1",
      "iso-8859-15",
      "macintosh",
      "cp850",
      "cp858",
      "cp437",
      "iso-8859-3",
      "iso-8859-10",
      "iso-8859-14",
      "maciceland",
      "cp860",
      "cp861",
      "cp863",
      "cp865",
    ],
  },
  {
    title: "Central Europe",
    encodings: ["windows-1250", "iso-8859-2", "cp852", "maccenteuro", "iso-8859-16", "maccroatian", "macromania"],
  },
  { title: "Baltic", encodings: ["windows-1257", "iso-8859-13", "iso-8859-4", "cp775"] },
  {
    title: "Cyrillic",
    encodings: ["windows-1251", "koi8-r", "koi8-u", "ibm866", "iso-8859-5", "x-mac-cyrillic", "cp855", "cp1125"],
  },
  { title: "Greek", encodings: ["windows-1253", "iso-8859-7", "cp737", "cp869", "macgreek"] },
  { title: "Turkish", encodings: ["windows-1254", "cp857", "macturkish"] },
  { title: "Hebrew", encodings: ["windows-1255", "iso-8859-8", "cp862"] },
  { title: "Arabic", encodings: ["windows-1256", "iso-8859-6"] },
  { title: "Thai", encodings: ["windows-874"] },
  { title: "Vietnamese", encodings: ["windows-1258"] },
  { title: "Japanese", encodings: ["shift_jis", "euc-jp", "iso-2022-jp"] },
  { title: "Chinese", encodings: ["gb18030", "big5"] },
  { title: "Korean", encodings: ["euc-kr"] },
] as const;

export type Encoding = (typeof ENCODING_GROUPS)[number]["encodings"][number];
export const ENCODINGS = ENCODING_GROUPS.flatMap((g): readonly Encoding[] => g.encodings) as [Encoding, ...Encoding[]];

/** What the standard's own names, code pages by their numbers and other programs' names mean. */
const SAME: Readonly<Record<string, Encoding>> = {
  ascii: "utf-8",
  "us-ascii": "utf-8",
  utf8mb4: "utf-8",
  "utf-8-sig": "utf-8",
  utf16: "utf-16le",
  utf16le: "utf-16le",
  utf16be: "utf-16be",
  ucs2: "utf-16le",
  utf32: "utf-32le",
  "utf-32": "utf-32le",
  utf32le: "utf-32le",
  utf32be: "utf-32be",
  ucs4: "utf-32le",
  "ucs-4": "utf-32le",
  latin1: "iso-8859-1",
  l1: "iso-8859-1",
  iso88591: "iso-8859-1",
  iso_8859_1: "iso-8859-1",
  "iso_8859-1": "iso-8859-1",
  "iso8859-1": "iso-8859-1",
  latin9: "iso-8859-15",
  latin10: "iso-8859-16",
  ansi: "windows-1252",
  roman: "macintosh",
  "mac-roman": "macintosh",
  macroman: "macintosh",
  maclatin2: "maccenteuro",
  macce: "maccenteuro",
  "x-mac-ce": "maccenteuro",
  "mac-centraleurope": "maccenteuro",
  "x-mac-greek": "macgreek",
  "x-mac-turkish": "macturkish",
  "x-mac-icelandic": "maciceland",
  "x-mac-romanian": "macromania",
  "x-mac-croatian": "maccroatian",
  maccyrillic: "x-mac-cyrillic",
  macukraine: "x-mac-cyrillic",
  "koi8-ru": "koi8-u",
  "shift-jis": "shift_jis",
  "euc-tw": "big5",
  eucjp: "euc-jp",
  euckr: "euc-kr",
  uhc: "euc-kr",
  hkscs: "big5",
  tis620: "windows-874",
};

/** Code pages by number. */
const CODE_PAGES: Readonly<Record<number, Encoding>> = {
  866: "ibm866",
  874: "windows-874",
  932: "shift_jis",
  936: "gb18030",
  949: "euc-kr",
  950: "big5",
  1200: "utf-16le",
  1201: "utf-16be",
  10000: "macintosh",
  10006: "macgreek",
  10007: "x-mac-cyrillic",
  10010: "macromania",
  10017: "x-mac-cyrillic",
  10029: "maccenteuro",
  10079: "maciceland",
  10081: "macturkish",
  10082: "maccroatian",
  12000: "utf-32le",
  12001: "utf-32be",
  20127: "utf-8",
  20866: "koi8-r",
  20932: "euc-jp",
  21866: "koi8-u",
  28591: "iso-8859-1",
  28599: "windows-1254",
  28605: "iso-8859-15",
  50220: "iso-2022-jp",
  51932: "euc-jp",
  51936: "gb18030",
  51949: "euc-kr",
  52936: "gb18030",
  54936: "gb18030",
  65001: "utf-8",
};

/** The code page of a part of ISO 8859 is so many more than its number. */
const ISO_PAGES = 28_590;

const isEncoding = (name: string): name is Encoding => (ENCODINGS as readonly string[]).includes(name);

/** The encoding that a person's or a file's word means, or null. */
export function findEncoding(word: string): Encoding | null {
  const name = word.trim().toLowerCase();
  if (isEncoding(name)) return name;
  if (SAME[name]) return SAME[name];
  const page = /^(?:cp|ibm|x-ibm|ms|windows|win|dos|codepage|cp-|ibm-|oem)?[ _-]?0*(\d{3,5})$/.exec(name)?.[1];
  if (page) {
    const by = CODE_PAGES[Number(page)];
    if (by) return by;
    for (const own of [`cp${page}`, `windows-${page}`, `iso-8859-${Number(page) - ISO_PAGES}`]) {
      if (isEncoding(own)) return own;
    }
  }
  const iso = /^(?:iso|iec)[ _-]?8859[ _-]?(\d{1,2})$/.exec(name)?.[1];
  if (iso && isEncoding(`iso-8859-${Number(iso)}`)) return `iso-8859-${Number(iso)}` as Encoding;
  return standardName(name);
}

/** What the Encoding Standard has a label for. */
function standardName(label: string): Encoding | null {
  let name: string;
  try {
    name = new TextDecoder(label).encoding;
  } catch {
    return null;
  }
  if (name === "gbk") return "gb18030";
  if (name === "iso-8859-8-i") return "iso-8859-8";
  return isEncoding(name) ? name : null;
}

/** The encoding that a person's word means. Throws `encoding-unknown`. */
export function encodingOf(word: string): Encoding {
  const found = findEncoding(word);
  if (!found) {
    throw new SieveError("encoding-unknown", `The encoding “${word}” is not one that can be read.`, {
      hint: `Give one of ${ENCODINGS.join(", ")}.`,
    });
  }
  return found;
}
