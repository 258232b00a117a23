import { GIVEN_NAMES } from "@/core/match/words.ts";
import { Random } from "./random.ts";

/** A made-up person as a sender has written them down. */
export interface Person {
  readonly given: string;
  readonly family: string;
  readonly born: string;
  readonly town: string;
  readonly phone: string;
}

export const PERSON_FIELDS = ["given", "family", "born", "town", "phone"] as const;
type PersonField = (typeof PERSON_FIELDS)[number];

const HEADS =
  "Al An Ar Bar Bel Ber Bra Bri Bro Cal Car Cor Cra Dal Dar Den Dor Dun El Fair Fal Far Fen Gar Gil Glen Gra Hal Har Haw Hol Hul Kel Ken Kir Lan Lar Lin Lon Mal Mar Mel Mor Nor Oak Or Pel Pen Por Quil Ram Ran Rav Ros Row Sal San Sel Shar Sil Stan Sun Tar Thor Tor Ul Val Ver Wal War Wen Wil Win Yar".split(
    " ",
  );
const MIDDLES =
  "a e i o u ber den der en er ing la le li lo man mer mon na ner ni no ra ri ro sel ta ter ti tin va ver vi wel".split(
    " ",
  );
const TAILS =
  "bank bert by croft dale den don er field ford ham hurst ing ington kin ley low man mere mond more ner ness os row set sen son stead stock ton ville wall well wick wood worth".split(
    " ",
  );

/** So many different names of places or families, the first the commonest. */
function namesOf(random: Random, count: number): string[] {
  const names = new Set<string>();
  while (names.size < count) {
    const middle = random.chance(0.45) ? random.pick(MIDDLES) : "";
    names.add(random.pick(HEADS) + middle + random.pick(TAILS));
  }
  return [...names];
}

/** One of a list, those at its beginning much more often: the first of 8,000 family names is borne by one in ninety. */
function common<T>(random: Random, list: readonly T[]): T {
  return list[Math.floor(list.length * random.next() ** 2)]!;
}

const capital = (word: string): string => word.charAt(0).toUpperCase() + word.slice(1);
const two = (n: number): string => String(n).padStart(2, "0");

const SOUNDS: readonly (readonly [string, string])[] = [
  ["ph", "f"],
  ["f", "ph"],
  ["c", "k"],
  ["k", "c"],
  ["ck", "k"],
  ["i", "y"],
  ["y", "i"],
  ["ee", "ea"],
  ["s", "z"],
  ["z", "s"],
  ["v", "w"],
  ["w", "v"],
  ["th", "t"],
  ["t", "th"],
  ["tt", "t"],
  ["ll", "l"],
  ["l", "ll"],
  ["nn", "n"],
  ["n", "nn"],
  ["ai", "ay"],
  ["ou", "u"],
  ["x", "ks"],
  ["er", "ar"],
  ["on", "en"],
];

function typed(random: Random, text: string): string {
  const i = random.whole(0, Math.max(0, text.length - 1));
  const letters = /\d/.test(text) ? "0123456789" : "abcdefghijklmnoprstuvwy";
  const c = random.pick([...letters]);
  switch (random.whole(0, 3)) {
    case 0:
      return text.slice(0, i) + c + text.slice(i);
    case 1:
      return text.length > 3 ? text.slice(0, i) + text.slice(i + 1) : text + c;
    case 2:
      return text.slice(0, i) + c + text.slice(i + 1);
    default:
      return i + 1 < text.length ? text.slice(0, i) + text[i + 1]! + text[i]! + text.slice(i + 2) : text + c;
  }
}

function sounded(random: Random, text: string): string {
  const fits = SOUNDS.filter(([from]) => text.toLowerCase().includes(from));
  if (fits.length === 0) return typed(random, text);
  const [from, to] = random.pick(fits);
  const at = text.toLowerCase().indexOf(from);
  return capital(text.slice(0, at).toLowerCase() + to + text.slice(at + from.length).toLowerCase());
}

/** Puts one of the usual errors into a field. */
function spoil(random: Random, person: Record<PersonField, string>, field: PersonField): void {
  const value = person[field];
  if (value === "") return;
  const kind = random.next();
  if (kind < 0.08) person[field] = "";
  else if (field === "born") {
    const [y, m, d] = value.split("-");
    if (kind < 0.5 && Number(d) <= 12) person.born = `${y}-${d}-${m}`;
    else if (kind < 0.75) person.born = `${y}-${m}-${two(random.whole(1, 28))}`;
    else person.born = `${Number(y) + random.pick([-10, -1, 1, 10])}-${m}-${d}`;
  } else if (field === "phone") person.phone = typed(random, value);
  else if (field === "given" && kind < 0.3) {
    const forms = GIVEN_NAMES.filter((row) => row.includes(value.toLowerCase()));
    person.given = forms.length > 0 ? capital(random.pick(random.pick(forms))) : typed(random, value);
  } else if (field === "given" && kind < 0.4) person.given = `${value.charAt(0)}.`;
  else if (field === "given" && kind < 0.45) [person.given, person.family] = [person.family, person.given];
  else if (field === "town" && kind < 0.25) person.town = `${value.slice(0, Math.max(4, value.length - 3))}.`;
  else person[field] = kind < 0.65 ? sounded(random, value) : typed(random, value);
}

/** Another writing of a person: up to two errors a field and four in all, unless said otherwise. */
export function miswritten(
  random: Random,
  person: Person,
  most = 4,
  fields: readonly PersonField[] = PERSON_FIELDS,
): Person {
  const copy = { ...person };
  const errors = random.whole(1, most);
  const made = new Map<PersonField, number>();
  for (let i = 0; i < errors; i++) {
    const field = random.pick(fields);
    if ((made.get(field) ?? 0) >= 2) continue;
    made.set(field, (made.get(field) ?? 0) + 1);
    spoil(random, copy, field);
  }
  return copy;
}

/** Makes people up, family names and towns as unevenly spread as in life. */
export function peopleFrom(seed: number, scale = 100_000): () => Person {
  const random = new Random(seed);
  const families = namesOf(random, Math.min(30_000, Math.max(2_000, Math.round(scale / 12))));
  const towns = namesOf(random, 1_500);
  const given = GIVEN_NAMES.map((row) => capital(row[0]!));
  return () => ({
    given: common(random, given),
    family: common(random, families),
    born: `${random.whole(1935, 2006)}-${two(random.whole(1, 12))}-${two(random.whole(1, 28))}`,
    town: common(random, towns),
    phone: random.chance(0.85) ? `0${random.whole(100, 999)} ${random.whole(100000, 999999)}` : "",
  });
}

/** What makes matching harder: by person the share of those who live with others, by copy the share of those who have moved since. */
export interface Circumstances {
  readonly households?: number;
  readonly moved?: number;
}

/** Records of which some are one person, with the number of the person for each. */
export function peopleWithRepeats(
  seed: number,
  count: number,
  { households = 0, moved = 0 }: Circumstances = {},
): { records: Person[]; person: number[] } {
  const random = new Random(seed + 1);
  const make = peopleFrom(seed, count);
  const records: Person[] = [];
  const person: number[] = [];
  let next = 0;
  const put = (one: Person, id: number): void => {
    records.push(one);
    person.push(id);
  };
  while (records.length < count) {
    const first = make();
    const home = [first];
    if (households > 0 && random.chance(households)) {
      const { family, town, phone } = first;
      for (let i = random.whole(1, 3); i > 0; i--) home.push({ ...make(), family, town, phone });
    }
    for (const one of home) {
      if (records.length >= count) break;
      const id = next++;
      put(one, id);
      if (!random.chance(0.2)) continue;
      const copies = random.chance(0.8) ? 1 : random.whole(2, 3);
      for (let i = 0; i < copies && records.length < count; i++) {
        const copy = miswritten(random, one);
        if (moved > 0 && random.chance(moved)) {
          const { town, phone } = make();
          put({ ...copy, town, phone }, id);
        } else put(copy, id);
      }
    }
  }
  for (let i = records.length - 1; i > 0; i--) {
    const j = random.whole(0, i);
    [records[i], records[j]] = [records[j]!, records[i]!];
    [person[i], person[j]] = [person[j]!, person[i]!];
  }
  return { records, person };
}
