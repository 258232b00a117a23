import { Random } from "../random.ts";
import {
  articles,
  cyrillic,
  members,
  organisations,
  people,
  publications,
  sites,
  type Kind,
  type Thing,
} from "./kinds.ts";
import { GROUPED_KINDS, events } from "./grouped-kinds.ts";
import {
  books,
  citizens,
  devices,
  hotels,
  patients,
  payments,
  registry,
  residents,
  restaurants,
  songs,
  vehicles,
} from "./more-kinds.ts";

/** Records of one side, and for each the number of the thing that it is. */
export interface Side {
  readonly rows: readonly (readonly string[])[];
  readonly thing: readonly number[];
}

/** Two files to be linked, or one in which things come several times. */
export interface Set {
  readonly columns: readonly string[];
  readonly a: Side;
  readonly b: Side | null;
}

export interface Circumstance {
  readonly name: string;
  readonly kind: () => Kind;
  /** Records of each file. */
  readonly size: number;
  /** Of the first file's records: the share that is in the second one too, or in one file that is a further writing. */
  readonly same: number;
  readonly one?: boolean;
  /** Errors of a further writing: at least, at most. */
  readonly errors?: readonly [number, number];
  /** Both files have repeats of their own: the share of the records. */
  readonly repeats?: number;
  /** Whether the second file has what comes after those things of the first that it has not. */
  readonly followed?: boolean;
  /** Columns that are left out. */
  readonly without?: readonly string[];
  readonly only?: readonly string[];
  /** Columns that are put in: a copy of another, the same for all, mostly empty, of no meaning. */
  readonly copied?: readonly string[];
  readonly constant?: boolean;
  readonly sparse?: boolean;
  readonly noise?: number;
  /** Whether the columns stand the other way round. */
  readonly turned?: boolean;
}

const ADDED = (c: Circumstance): string[] => [
  ...(c.copied ?? []).map((name) => `${name}_again`),
  ...(c.constant ? ["source_system"] : []),
  ...(c.sparse ? ["second_phone"] : []),
  ...Array.from({ length: c.noise ?? 0 }, (_, i) => `batch_${String.fromCharCode(97 + i)}`),
];

function shuffle<T>(random: Random, list: T[]): T[] {
  for (let i = list.length - 1; i > 0; i--) {
    const j = random.whole(0, i);
    [list[i], list[j]] = [list[j]!, list[i]!];
  }
  return list;
}

/** Makes a circumstance's files by a seed. */
export function makeSet(c: Circumstance, seed: number): Set {
  const random = new Random(seed * 7919 + 17);
  const kind = c.kind();
  const next = kind.things(random, c.size);
  const kept = kind.columns.filter((name) => (c.only ? c.only.includes(name) : !(c.without ?? []).includes(name)));
  const columns = ["record_id", ...(c.turned ? [...kept].reverse() : kept), ...ADDED(c)];
  let number = 0;
  const rowOf = (thing: Thing): string[] => [
    `R${String(++number).padStart(7, "0")}`,
    ...(c.turned ? [...kept].reverse() : kept).map((name) => thing[name]!),
    ...(c.copied ?? []).map((name) => thing[name]!),
    ...(c.constant ? ["registry"] : []),
    ...(c.sparse ? [random.chance(0.02) ? `0${random.whole(10_000_000, 99_999_999)}` : ""] : []),
    ...Array.from({ length: c.noise ?? 0 }, () => String(random.whole(1, 400))),
  ];
  const [least, most] = c.errors ?? [0, 4];
  const again = (thing: Thing): Thing => kind.rewrite(random, thing, random.whole(least, most));
  const side = (list: { thing: Thing; id: number }[]): Side => {
    const mixed = shuffle(random, list);
    return { rows: mixed.map(({ thing }) => rowOf(thing)), thing: mixed.map(({ id }) => id) };
  };
  if (c.one) {
    const list: { thing: Thing; id: number }[] = [];
    for (let id = 0; list.length < c.size; id++) {
      const thing = next();
      list.push({ thing, id });
      // Clusters of up to four, so that the share of further writings is what it should be.
      while (list.length < c.size && random.chance(c.same) && list.length - list.findLastIndex((x) => x.id !== id) < 5)
        list.push({ thing: again(thing), id });
    }
    return { columns, a: side(list), b: null };
  }
  const both = Math.round(c.size * c.same);
  const things = Array.from({ length: 2 * c.size - both }, (_, id) => ({ thing: next(), id }));
  shuffle(random, things);
  const a = things.slice(0, c.size);
  const others = things.slice(c.size);
  const b = [
    ...things.slice(0, both).map(({ thing, id }) => ({ thing: again(thing), id })),
    ...others.map(({ thing, id }, i) => ({ thing: c.followed ? kind.next!(random, a[both + i]!.thing) : thing, id })),
  ];
  for (const list of [a, b]) {
    const more = Math.round(list.length * (c.repeats ?? 0));
    for (let i = 0; i < more; i++) {
      const { thing, id } = list[random.whole(0, c.size - 1)]!;
      list.push({ thing: again(thing), id });
    }
  }
  return { columns, a: side(a), b: side(b) };
}

const HARD = { without: ["phone", "email"], errors: [3, 4] as const };
const PEOPLE = { kind: () => people(), size: 5_000, same: 0.5 };

/** Kinds by another hand: each with half, little and nothing in common, and in one file. */
const MORE_KINDS: Readonly<Record<string, () => Kind>> = {
  registry,
  patients,
  citizens,
  residents,
  restaurants,
  songs,
  devices,
  payments,
  vehicles,
  books,
  hotels,
  ...GROUPED_KINDS,
};
const MORE: readonly Circumstance[] = Object.entries(MORE_KINDS).flatMap(([name, kind]) => [
  { name, kind, size: 3_000, same: 0.5 },
  { name: `${name}, 5 % the same`, kind, size: 3_000, same: 0.05 },
  { name: `${name}, none the same`, kind, size: 3_000, same: 0 },
  { name: `${name} in one file`, kind, size: 3_000, same: 0.2, one: true },
  { name: `${name} in one file, none the same`, kind, size: 3_000, same: 0, one: true },
]);

/** What is tried: other kinds of things, sizes, shares of what is the same, columns more or fewer. */
export const CIRCUMSTANCES: readonly Circumstance[] = [
  { name: "people", ...PEOPLE },
  { name: "people, 300", ...PEOPLE, size: 300 },
  { name: "people, 1,000", ...PEOPLE, size: 1_000 },
  { name: "people, 20,000", ...PEOPLE, size: 20_000 },
  { name: "people, 100,000", ...PEOPLE, size: 100_000 },
  { name: "people, columns turned", ...PEOPLE, turned: true },
  { name: "people, hard", ...PEOPLE, kind: () => people({ undated: 0.4 }), ...HARD },
  { name: "people, none the same", ...PEOPLE, same: 0 },
  { name: "people, none the same, 1,000", ...PEOPLE, size: 1_000, same: 0 },
  { name: "people, 1 % the same", ...PEOPLE, same: 0.01 },
  { name: "people, 10 % the same", ...PEOPLE, same: 0.1 },
  { name: "people, 90 % the same", ...PEOPLE, same: 0.9 },
  { name: "people, all moved", ...PEOPLE, kind: () => people({ moved: 0.5 }) },
  {
    name: "people, big households, twins, juniors",
    ...PEOPLE,
    kind: () => people({ households: 0.8, twins: 0.1, juniors: 0.12 }),
  },
  { name: "people, nobody lives together", ...PEOPLE, kind: () => people({ households: 0 }) },
  { name: "people, one town in two", ...PEOPLE, kind: () => people({ towns: 4 }) },
  { name: "people, names swapped", ...PEOPLE, kind: () => people({ swapped: 0.3 }) },
  { name: "people, no phone, e-mail", ...PEOPLE, without: ["phone", "email"] },
  { name: "people, no birth date", ...PEOPLE, without: ["birth_date"] },
  { name: "people, no names", ...PEOPLE, without: ["given_name", "surname"] },
  { name: "people, no place", ...PEOPLE, without: ["house_no", "street", "unit", "town", "state", "postcode"] },
  { name: "people, name and birth date", ...PEOPLE, only: ["given_name", "surname", "birth_date"] },
  { name: "people, name and town", ...PEOPLE, only: ["given_name", "surname", "town"] },
  { name: "people, names alone", ...PEOPLE, only: ["given_name", "surname"] },
  { name: "people, town copied", ...PEOPLE, copied: ["town"] },
  { name: "people, surname copied", ...PEOPLE, copied: ["surname"] },
  { name: "people, three copied", ...PEOPLE, copied: ["town", "birth_date", "phone"] },
  { name: "people, a constant, a sparse column", ...PEOPLE, constant: true, sparse: true },
  { name: "people, noise", ...PEOPLE, noise: 1 },
  { name: "people, much noise", ...PEOPLE, noise: 3 },
  { name: "people, both files have repeats", ...PEOPLE, repeats: 0.15 },
  { name: "people in one file", ...PEOPLE, size: 10_000, same: 0.3, one: true },
  { name: "people in one file, 600", ...PEOPLE, size: 600, same: 0.3, one: true },
  {
    name: "people in one file, hard",
    kind: () => people({ undated: 0.4 }),
    size: 5_000,
    same: 0.3,
    one: true,
    ...HARD,
  },
  { name: "people in one file, none the same", ...PEOPLE, same: 0, one: true },
  { name: "people in one file, 2 % the same", ...PEOPLE, same: 0.02, one: true },
  { name: "members", kind: members, size: 4_000, same: 0.5, errors: [0, 3] },
  { name: "members, none the same", kind: members, size: 4_000, same: 0 },
  { name: "members in one file", kind: members, size: 4_000, same: 0.2, one: true, errors: [0, 3] },
  { name: "people in Cyrillic letters", kind: cyrillic, size: 4_000, same: 0.4, errors: [0, 2] },
  { name: "organisations with branches", kind: organisations, size: 3_000, same: 0.5, errors: [0, 3] },
  { name: "organisations, none the same", kind: organisations, size: 3_000, same: 0 },
  { name: "publications", kind: publications, size: 3_000, same: 0.6, errors: [0, 3] },
  { name: "publications in one file", kind: publications, size: 3_000, same: 0.25, one: true, errors: [0, 3] },
  { name: "articles", kind: articles, size: 2_000, same: 0.5, errors: [0, 2] },
  { name: "articles, two columns", kind: articles, size: 2_000, same: 0.5, errors: [0, 2], only: ["article", "price"] },
  { name: "events", kind: events, size: 2_000, same: 0.5 },
  { name: "events, the others of next year", kind: events, size: 2_000, same: 0.3, followed: true },
  { name: "events, all of next year", kind: events, size: 2_000, same: 0, followed: true },
  { name: "sites", kind: sites, size: 2_000, same: 0.5, errors: [0, 3] },
  { name: "sites in one file", kind: sites, size: 3_000, same: 0.2, one: true, errors: [0, 3] },
  ...MORE,
];
