import { GIVEN_NAMES } from "@/core/match/words.ts";
import { Random } from "../random.ts";
import {
  cut,
  initial,
  lost,
  misdated,
  misheard,
  misread,
  nickname,
  oneOf,
  shouted,
  typo,
  wordsMixed,
  type Spoil,
} from "./spoil.ts";

/** A thing as it is: its values by column. `related` things are written as things of their own. */
export type Thing = Record<string, string>;

/** What things of a kind are, and how they are written wrongly. Each kind has a way of its own to come about. */
export interface Kind {
  readonly columns: readonly string[];
  /** Things one after the other, some of them belonging together; never the same twice. */
  things(random: Random, scale: number): () => Thing;
  /** Another writing of a thing with so many errors. */
  rewrite(random: Random, thing: Thing, errors: number): Thing;
  /** What comes after a thing, and is another one: next year's event after this year's. */
  next?(random: Random, thing: Thing): Thing;
}

/** Spoils as many values as is said, of columns that are drawn from a list; what stands there twice is drawn twice as often. */
function spoiled(columns: readonly string[], errors: Readonly<Record<string, Spoil>>): Kind["rewrite"] {
  return (random, thing, count) => {
    const copy = { ...thing };
    for (let i = 0; i < count; i++) {
      const column = random.pick(columns);
      copy[column] = errors[column]!(random, copy[column]!);
    }
    return copy;
  };
}

export const two = (n: number): string => String(n).padStart(2, "0");
export const capital = (word: string): string => word.charAt(0).toUpperCase() + word.slice(1);

/** So many names made of syllables that a language might have. */
function names(random: Random, count: number, starts: string, middles: string, ends: string): string[] {
  const [s, m, e] = [starts, middles, ends].map((list) => list.split(" ")) as [string[], string[], string[]];
  const made = new Set<string>();
  for (let tries = 0; made.size < count && tries < count * 40; tries++)
    made.add(capital(random.pick(s) + (random.chance(0.5) ? random.pick(m) : "") + random.pick(e)));
  return [...made];
}

/** By Zipf's law (1949), moved a little so that no name has everybody. */
function zipf(random: Random, list: readonly string[], flat = 8): string {
  const top = Math.log((list.length + flat) / flat);
  return list[Math.min(list.length - 1, Math.floor(flat * (Math.exp(random.next() * top) - 1)))]!;
}

const GIVEN = GIVEN_NAMES.map((row) => capital(row[0]!));
const FAMILY = [
  "al ash bar bel bren cal car col cran dan del dor el fair fen gar gren hal har hol hux ing jar kel ken kir lam lan lock mal mar mel mor nor oak pel pen quil ran red rok sal san sel shel stan sut tan thor tor ul val vas wal wen wil win wyn yar zel",
  "a be ber de en er i la lin ma mer no o ri ro sel ta ver",
  "bank bell by combe croft dale den don er field ford ham holm hurst ing ington ins ison kin land ley low man mere more ner ness sen shaw son stead ter ton wall way well wick win wood worth",
] as const;

const STREETS =
  "High Station Church Mill Park School Green Victoria Manor Kings Chapel Albert Grange North West Orchard Bridge Meadow Hill Spring Cedar Elm Willow Beech Harbour Quarry Abbey Castle Forge Lime".split(
    " ",
  );
const WAYS = ["Street", "Road", "Lane", "Avenue", "Close", "Drive", "Court", "Way"];
const STATES = "NM SF EW WD HK OL RT VB".split(" ");

interface Place {
  readonly town: string;
  readonly state: string;
  readonly codes: readonly string[];
}

function placesOf(random: Random, count: number): Place[] {
  return names(
    random,
    count,
    FAMILY[0],
    FAMILY[1],
    "bury chester dale den field ford ham holme ley mere minster mouth port stead ton vale wick",
  ).map((town) => ({
    town,
    state: random.pick(STATES),
    codes: Array.from({ length: random.whole(1, 3) }, () => String(random.whole(2000, 8999))),
  }));
}

function anyDay(random: Random, from: number, to: number): string {
  return `${random.whole(from, to)}-${two(random.whole(1, 12))}-${two(random.whole(1, 28))}`;
}

/** How each column of people is written wrongly. */
const PERSON_ERRORS: Record<string, Spoil> = {
  given_name: oneOf(typo, typo, misheard, misread, nickname, nickname, initial, lost),
  surname: oneOf(typo, typo, misheard, misread, shouted, wordsMixed),
  sex: oneOf(lost, () => "x"),
  birth_date: oneOf(misdated, misdated, misdated, lost),
  house_no: oneOf(typo, misread, lost),
  street: oneOf(typo, misread, cut, (_, t) => t.replace("Street", "St").replace("Road", "Rd").replace("Avenue", "Ave")),
  unit: oneOf(lost, typo),
  town: oneOf(typo, misheard, cut),
  state: oneOf(lost, (random) => random.pick(STATES)),
  postcode: oneOf(typo, typo, lost),
  phone: oneOf(typo, typo, lost, (random) => `0${random.whole(10_000_000, 99_999_999)}`),
  email: oneOf(typo, lost, (random, t) => `${t.split("@")[0]}@${random.pick(["post.example", "mail.example"])}`),
};

export interface PeopleTraits {
  /** Share of homes in which several live. */
  readonly households?: number;
  /** Of people in a household: twins, and children named like a parent. */
  readonly twins?: number;
  readonly juniors?: number;
  /** Of copies: those who live elsewhere now, and those with another surname. */
  readonly moved?: number;
  readonly married?: number;
  /** Of copies: given name and surname the wrong way round. */
  readonly swapped?: number;
  /** Share of people whose birth date nobody knows. */
  readonly undated?: number;
  /** How many towns there are. */
  readonly towns?: number;
}

/** People in homes: who lives together has the address in common, and mostly surname and telephone. */
export function people(traits: PeopleTraits = {}): Kind {
  const { households = 0.45, twins = 0.02, juniors = 0.03, moved = 0.06, married = 0.03, swapped = 0.03 } = traits;
  const columns = Object.keys(PERSON_ERRORS);
  let places: Place[] = [];
  let families: string[] = [];
  const home = (random: Random): Thing => {
    const place = places[Math.floor(places.length * random.next() ** 1.6)]!;
    return {
      house_no: String(random.whole(1, 160)),
      street: `${random.pick(STREETS)} ${random.pick(WAYS)}`,
      unit: random.chance(0.12) ? String(random.whole(1, 30)) : "",
      town: place.town,
      state: place.state,
      postcode: random.pick(place.codes),
    };
  };
  const person = (random: Random, at: Thing, shares: Thing | null): Thing => {
    const given = zipf(random, GIVEN, 20);
    const surname = shares && random.chance(0.85) ? shares["surname"]! : zipf(random, families);
    const phone = shares && random.chance(0.55) ? shares["phone"]! : `0${random.whole(10_000_000, 99_999_999)}`;
    return {
      given_name: given,
      surname,
      sex: random.pick(["f", "m"]),
      birth_date: random.chance(traits.undated ?? 0.04) ? "" : anyDay(random, 1930, 2010),
      ...at,
      phone: random.chance(0.15) ? "" : phone,
      email: random.chance(0.35)
        ? ""
        : shares && random.chance(0.15)
          ? shares["email"]!
          : `${given}.${surname}${random.whole(1, 99)}@${random.pick(["post.example", "mail.example", "home.example"])}`.toLowerCase(),
    };
  };
  return {
    columns,
    things(random, scale) {
      places = placesOf(random, traits.towns ?? 260);
      families = names(random, Math.max(400, Math.min(12_000, Math.round(scale / 4))), ...FAMILY);
      let waiting: Thing[] = [];
      return () => {
        if (waiting.length > 0) return waiting.pop()!;
        const at = home(random);
        const first = person(random, at, null);
        waiting = [];
        if (random.chance(households)) {
          for (let i = random.whole(1, 3); i > 0; i--) {
            const next = person(random, at, first);
            if (random.chance(twins))
              Object.assign(next, { birth_date: first["birth_date"], surname: first["surname"] });
            else if (random.chance(juniors))
              Object.assign(next, { given_name: first["given_name"], surname: first["surname"] });
            waiting.push(next);
          }
        }
        return first;
      };
    },
    rewrite(random, thing, errors) {
      const copy = { ...thing };
      if (random.chance(moved)) Object.assign(copy, home(random), random.chance(0.5) ? {} : { phone: "" });
      if (random.chance(married)) copy["surname"] = zipf(random, families);
      if (random.chance(swapped)) [copy["given_name"], copy["surname"]] = [copy["surname"]!, copy["given_name"]!];
      return spoiled(columns, PERSON_ERRORS)(random, copy, errors);
    },
  };
}

/** How another office writes people down: whole names, the year of birth alone, no address but the place, and a number of its own. */
export function members(): Kind {
  const columns = ["full_name", "born_year", "place", "country", "occupation", "telephone"];
  const errors: Record<string, Spoil> = {
    full_name: oneOf(
      typo,
      typo,
      misheard,
      wordsMixed,
      shouted,
      (_, t) => t.replace(/^(\S+) (.+)$/, "$2, $1"),
      (_, t) => t.replace(/^(\S)\S+/, "$1."),
    ),
    born_year: oneOf((random, t) => String(Number(t) + random.pick([-1, 1, 10])), lost),
    place: oneOf(typo, lost, cut),
    country: oneOf(lost),
    occupation: oneOf(lost, typo),
    telephone: oneOf(typo, lost, lost),
  };
  return {
    columns,
    things(random, scale) {
      const families = names(random, Math.max(300, Math.min(20_000, scale)), ...FAMILY);
      const given = names(
        random,
        220,
        "ad ai an bi ca da el fa gi ha io ja ka li ma na o pe ri sa ta u va yo za",
        "d l m n r s v",
        "a an el en i ia in is o on us y",
      );
      const places = names(random, 400, FAMILY[0], FAMILY[1], "au berg burg dorf hafen heim feld wald stadt tal");
      const trades = "baker clerk driver farmer gardener joiner miller nurse painter teacher tailor weaver".split(" ");
      return () => {
        const place = Math.floor(places.length * random.next() ** 2);
        return {
          full_name: `${zipf(random, given, 12)} ${random.chance(0.2) ? `${random.pick(given)} ` : ""}${zipf(random, families, 15)}`,
          born_year: String(random.whole(1920, 2005)),
          place: places[place]!,
          country: ["Norland", "Estmark", "Sudria", "Westan"][place % 4]!,
          // Trades gather in places.
          occupation: random.chance(0.6) ? trades[place % trades.length]! : random.pick(trades),
          telephone: random.chance(0.5) ? `+${40 + (place % 4)} ${random.whole(1_000_000, 9_999_999)}` : "",
        };
      };
    },
    rewrite: spoiled(["full_name", ...columns], errors),
  };
}

/** People whose names are written in Cyrillic letters. */
export function cyrillic(): Kind {
  const columns = ["имя", "фамилия", "дата_рождения", "город", "телефон"];
  const errors: Record<string, Spoil> = {
    имя: oneOf(typo, typo, initial, lost),
    фамилия: oneOf(typo, typo, shouted),
    дата_рождения: oneOf(misdated, misdated, lost),
    город: oneOf(typo, lost),
    телефон: oneOf(typo, lost, lost),
  };
  return {
    columns,
    things(random, scale) {
      const given = names(
        random,
        120,
        "ал ан бо ва вла га да ди ев зо иг ин ка ки ла ли ма ми на ни о па ро са та ю яр",
        "д к л м н р с",
        "а ан ей ил им ина ия ор слав ур",
      );
      const families = names(
        random,
        Math.max(400, Math.min(9_000, Math.round(scale / 3))),
        "бар бел бор вор гор гром дуб жар зим ива кал кар коз кра лаз лес мар мел мор ник ов пет пол руд сед сок сол тар тим фед хол чер шап",
        "а е и о у ль ен ар ов",
        "ев ин ов ский цев ченко як ёв",
      );
      const towns = names(
        random,
        150,
        "бел верх крас нов ост под реч сред стар сух",
        "о е",
        "бор город град дол каменск поле речье горск",
      );
      return () => ({
        имя: zipf(random, given, 15),
        фамилия: zipf(random, families),
        дата_рождения: anyDay(random, 1935, 2008),
        город: zipf(random, towns, 10),
        телефон: random.chance(0.7) ? `8${random.whole(900_000_000, 999_999_999)}` : "",
      });
    },
    rewrite: spoiled(columns, errors),
  };
}

/** Organisations with branches: these have the name in common, and the web address. */
export function organisations(): Kind {
  const columns = ["organisation", "street", "town", "postcode", "phone", "website"];
  const errors: Record<string, Spoil> = {
    organisation: oneOf(
      typo,
      wordsMixed,
      misread,
      (_, t) => t.replace(" Limited", " Ltd"),
      (_, t) => t.replace(/ (Ltd|Limited|GmbH|Inc)$/, ""),
    ),
    street: oneOf(typo, cut, lost),
    town: oneOf(typo, misheard),
    postcode: oneOf(typo, lost),
    phone: oneOf(typo, lost),
    website: oneOf(lost, typo, (_, t) => `https://${t}/`),
  };
  return {
    columns,
    things(random) {
      const places = placesOf(random, 180);
      const words = names(random, 900, ...FAMILY);
      const trades =
        "Seeds Nurseries Gardens Timber Foods Printing Tools Transport Engineering Glass Textiles Dairy Stone Energy Marine Consulting".split(
          " ",
        );
      let waiting: Thing[] = [];
      return () => {
        if (waiting.length > 0) return waiting.pop()!;
        const trade = random.pick(trades);
        const name = `${random.pick(words)} ${random.chance(0.4) ? `& ${random.pick(words)} ` : ""}${trade} ${random.pick(["Ltd", "Limited", "GmbH", "Inc"])}`;
        const website = `www.${name.split(" ")[0]!.toLowerCase()}-${trade.toLowerCase()}.example`;
        const at = (): Thing => {
          const place = random.pick(places);
          return {
            organisation: name,
            street: `${random.whole(1, 220)} ${random.pick(STREETS)} ${random.pick(WAYS)}`,
            town: place.town,
            postcode: random.pick(place.codes),
            phone: `0${random.whole(10_000_000, 99_999_999)}`,
            website,
          };
        };
        waiting = random.chance(0.3) ? Array.from({ length: random.whole(1, 6) }, at) : [];
        return at();
      };
    },
    rewrite: spoiled(columns, errors),
  };
}

/** Publications: series have titles that differ by a word, authors write many. */
export function publications(): Kind {
  const columns = ["title", "authors", "journal", "year", "pages"];
  const errors: Record<string, Spoil> = {
    title: oneOf(typo, typo, wordsMixed, cut, shouted),
    authors: oneOf(
      wordsMixed,
      typo,
      (_, t) => t.split("; ")[0]!,
      (_, t) => t.replace(/(\p{Lu})\p{Ll}+ /gu, "$1. "),
    ),
    journal: oneOf(lost, cut, (_, t) =>
      t
        .split(" ")
        .map((w) => w.charAt(0))
        .join(""),
    ),
    year: oneOf(lost, (random, t) => String(Number(t) + random.pick([-1, 1]))),
    pages: oneOf(lost, typo),
  };
  const topics =
    "germination dormancy storage viability drying collection regeneration diversity pollination adaptation drought frost disease yield taxonomy phenology restoration banking".split(
      " ",
    );
  const things_ =
    "oats barley wheat rye lentils peas beans sedges orchids grasses ferns heather poppies willows birches mosses thistles clover".split(
      " ",
    );
  const where = "lowland upland coastal arid alpine boreal temperate island river meadow woodland".split(" ");
  const how =
    "A study of|Effects of cold on|Notes on|Long-term|A survey of|Models of|Rapid|The genetics of|Patterns of|Towards better".split(
      "|",
    );
  return {
    columns,
    things(random, scale) {
      const families = names(random, Math.max(200, Math.round(scale / 6)), ...FAMILY);
      const journals = names(
        random,
        40,
        "acta annals journal letters review",
        "",
        " agro bio cultura flora horti natura planta semina",
      ).map((j) => capital(j.toLowerCase()));
      let series: Thing | null = null;
      return () => {
        if (series && random.chance(0.35)) {
          const part: number = Number(/ (\d+)$/.exec(series["title"]!)?.[1] ?? 1) + 1;
          series = {
            ...series,
            title: `${series["title"]!.replace(/ part \d+$/, "")} part ${part}`,
            pages: `${random.whole(1, 900)}-${random.whole(901, 1200)}`,
            year: String(Number(series["year"]) + random.whole(0, 2)),
          };
          return series;
        }
        const author = (): string => `${random.pick(GIVEN)} ${zipf(random, families, 20)}`;
        const thing = {
          title: `${random.pick(how)} ${random.pick(topics)} in ${random.pick(where)} ${random.pick(things_)}${random.chance(0.4) ? ` and ${random.pick(things_)}` : ""}`,
          authors: Array.from({ length: random.whole(1, 4) }, author).join("; "),
          journal: random.pick(journals),
          year: String(random.whole(1975, 2025)),
          pages: `${random.whole(1, 400)}-${random.whole(401, 800)}`,
        };
        series = random.chance(0.2) ? thing : null;
        return thing;
      };
    },
    rewrite: spoiled(columns, errors),
  };
}

/** Articles of trade: sizes and colours of one thing are things of their own. */
export function articles(): Kind {
  const columns = ["article", "maker", "model", "price"];
  const makers = "Ardent Brook Calder Dunmore Eastway Fenner Gale Harrow Inver Juniper".split(" ");
  const what = "spade rake hoe fork trowel secateurs sieve tray pot barrow hose glove label dibber cloche".split(" ");
  const attributes =
    "steel copper oak ash plastic small large long-handled folding heavy light green red blue 10cm 15cm 20cm 30cm pack-of-3 pack-of-10".split(
      " ",
    );
  const errors: Record<string, Spoil> = {
    article: oneOf(typo, wordsMixed, wordsMixed, shouted),
    maker: oneOf(lost, typo),
    model: oneOf(lost, typo, (_, t) => t.replace("-", "")),
    price: oneOf((random, t) => (Number(t) * (0.9 + random.next() / 5)).toFixed(2), lost),
  };
  return {
    columns,
    things(random) {
      return () => {
        const maker = random.pick(makers);
        return {
          article: `${maker} ${random.pick(attributes)} ${random.pick(attributes)} ${random.pick(what)} ${random.pick(attributes)}`,
          maker,
          model: `${maker.slice(0, 2).toUpperCase()}-${random.whole(100, 9999)}${random.pick(["", "A", "B", "X"])}`,
          price: (random.whole(200, 9000) / 100).toFixed(2),
        };
      };
    },
    rewrite: spoiled(columns, errors),
  };
}

/** Places where seed was gathered: near ones have names that begin alike, and everything else in common. */
export function sites(): Kind {
  const columns = ["site_name", "region", "country", "latitude", "longitude", "altitude"];
  const errors: Record<string, Spoil> = {
    site_name: oneOf(typo, wordsMixed, misheard, shouted),
    region: oneOf(lost, typo),
    country: oneOf(lost),
    latitude: oneOf(
      (random, t) => (Number(t) + (random.next() - 0.5) / 50).toFixed(4),
      (_, t) => Number(t).toFixed(1),
    ),
    longitude: oneOf(
      (random, t) => (Number(t) + (random.next() - 0.5) / 50).toFixed(4),
      (_, t) => Number(t).toFixed(1),
    ),
    altitude: oneOf(lost, (random, t) => String(Number(t) + random.whole(-30, 30))),
  };
  return {
    columns,
    things(random) {
      const regions = names(random, 60, FAMILY[0], FAMILY[1], "shire land mark gau");
      const words = names(random, 700, ...FAMILY);
      const ends =
        "Bog|Fen|Meadow|Wood|Ridge|Cliffs|Common|Lake North Shore|Lake South Shore|Quarry|Heath|Saltmarsh".split("|");
      let near: { lat: number; lon: number; name: string; region: number } | null = null;
      return () => {
        const region = near && random.chance(0.4) ? near.region : random.whole(0, regions.length - 1);
        const close = near && region === near.region && random.chance(0.7);
        const [lat, lon] = close
          ? [near!.lat + (random.next() - 0.5) / 10, near!.lon + (random.next() - 0.5) / 10]
          : [46 + (region % 8) + random.next(), 2 + Math.floor(region / 8) + random.next()];
        const name = close && random.chance(0.5) ? near!.name : random.pick(words);
        near = { lat, lon, name, region };
        return {
          site_name: `${name} ${random.pick(ends)}`,
          region: regions[region]!,
          country: ["Norland", "Estmark", "Sudria"][region % 3]!,
          latitude: lat.toFixed(4),
          longitude: lon.toFixed(4),
          altitude: String(random.whole(0, 1800)),
        };
      };
    },
    rewrite: spoiled(columns, errors),
  };
}
