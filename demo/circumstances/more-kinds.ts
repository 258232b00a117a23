import { Random } from "../random.ts";
import { after, byChance, day, digits, iso, often, word, words, type Spoiling } from "./by-chance.ts";
import { two, type Kind, type Thing } from "./kinds.ts";

/**
 * Kinds of things by another hand than the first: values are spoiled by chance, each field by itself, and not by a
 * number of errors; names are made of other syllables and are as frequent as chance has it.
 */

/** People of an office: an address in several lines, days in eight digits, a number that each has. */
export function registry(): Kind {
  const columns =
    "given_name surname street_number address_1 address_2 suburb postcode state date_of_birth soc_sec_id".split(" ");
  const home = columns.slice(1, 8);
  const spoil = byChance({
    given_name: { slip: 0.2, lost: 0.05 },
    surname: { slip: 0.2, lost: 0.03 },
    street_number: { slip: 0.12, lost: 0.05 },
    address_1: { slip: 0.2, lost: 0.03 },
    address_2: { slip: 0.15, lost: 0.15 },
    suburb: { slip: 0.15, lost: 0.02 },
    postcode: { slip: 0.12, lost: 0.02 },
    state: { slip: 0.05, lost: 0.1 },
    date_of_birth: { slip: 0.15, lost: 0.05 },
    soc_sec_id: { slip: 0.12, lost: 0.05 },
  });
  return {
    columns,
    things(random, scale) {
      const given = words(random, 300);
      const family = words(random, Math.max(500, scale / 3));
      const streets = words(random, 900);
      const suburbs = words(random, 400).map((name) => ({
        name: name.toLowerCase(),
        code: digits(random, 4),
        state: random.pick("ad be co du el fa go ha".split(" ")),
      }));
      let before: Thing | null = null;
      return () => {
        const { name, code, state } = suburbs[Math.floor(suburbs.length * random.next() ** 1.4)]!;
        const way = random.pick("street place crescent circuit close".split(" "));
        const part = random.pick("flat unit villa".split(" "));
        const thing = {
          given_name: often(random, given).toLowerCase(),
          surname: often(random, family).toLowerCase(),
          street_number: String(random.whole(1, 300)),
          address_1: `${often(random, streets).toLowerCase()} ${way}`,
          address_2: random.chance(0.4) ? `${part} ${random.whole(1, 90)}` : "",
          suburb: name,
          postcode: code,
          state,
          date_of_birth: random.chance(0.08) ? "" : day(random, 1905, 1999, (y, m, d) => y + m + d),
          soc_sec_id: digits(random, 7),
        };
        return (before = after(random, thing, before, 0.3, home));
      };
    },
    rewrite(random, thing) {
      const copy = spoil(random, thing);
      const { given_name, surname } = copy;
      return random.chance(0.05) ? { ...copy, given_name: surname!, surname: given_name! } : copy;
    },
  };
}

/** Patients as a clinic in German writes them: families, many who moved, numbers of insurance for most. */
export function patients(): Kind {
  const columns = "Nachname Vorname Geburtsdatum Geschlecht Straße PLZ Ort Telefon Versichertennummer".split(" ");
  let families: string[] = [];
  let address: (random: Random) => Thing;
  const spoil = byChance({
    Nachname: { slip: 0.12, otherwise: [0.04, (t, random) => `${t}-${often(random, families)}`] },
    Vorname: { slip: 0.12, otherwise: [0.05, (t) => `${t.charAt(0)}.`] },
    Geburtsdatum: { slip: 0.06, lost: 0.03 },
    Straße: { slip: 0.1, lost: 0.02, otherwise: [0.4, (t) => t.replace("straße", "str.")] },
    PLZ: { slip: 0.05, lost: 0.02 },
    Ort: { slip: 0.06, lost: 0.01 },
    Telefon: { slip: 0.06, lost: 0.3 },
    Versichertennummer: { slip: 0.04, lost: 0.3 },
  });
  return {
    columns,
    things(random, scale) {
      const given = words(random, 250);
      families = words(random, Math.max(400, scale / 3));
      const towns = words(random, 200);
      const streets = words(random, 500);
      address = (random) => {
        const town = Math.floor(towns.length * random.next() ** 1.5);
        const street = random.pick(streets) + random.pick(["straße", "weg", "gasse"]);
        return { Straße: `${street} ${random.whole(1, 120)}`, PLZ: String(10000 + town * 331), Ort: towns[town]! };
      };
      let before: Thing | null = null;
      return () => {
        const thing = {
          Nachname: often(random, families),
          Vorname: often(random, given) + (random.chance(0.1) ? `-${often(random, given)}` : ""),
          Geburtsdatum: day(random, 1925, 2020, (y, m, d) => `${d}.${m}.${y}`),
          Geschlecht: random.pick(["m", "w"]),
          ...address(random),
          Telefon: `0${digits(random, 4)}/${digits(random, 6)}`,
          Versichertennummer: random.chance(0.3) ? "" : random.pick([..."ABCDEF"]) + digits(random, 9),
        };
        return (before = after(random, thing, before, 0.35, ["Nachname", "Straße", "PLZ", "Ort", "Telefon"]));
      };
    },
    rewrite(random, thing) {
      return Object.assign(spoil(random, thing), random.chance(0.15) ? address(random) : {});
    },
  };
}

/** Citizens with two surnames, known by their mother too: brothers and sisters have her and the place in common, twins the day. */
export function citizens(): Kind {
  const columns = "nome nome_da_mae data_nascimento sexo municipio".split(" ");
  let places: string[] = [];
  const shortened: Spoiling = (text, random) => {
    const parts = text.split(" ");
    if (random.chance(0.5)) return parts.filter((_, i) => i !== 1).join(" ");
    return parts.map((part, i) => (i > 0 && i < parts.length - 1 ? part.charAt(0) : part)).join(" ");
  };
  const spoil = byChance({
    nome: { slip: 0.2, otherwise: [0.25, shortened] },
    nome_da_mae: { slip: 0.2, lost: 0.1, otherwise: [0.3, (t) => t.replace(/ (?:da|dos|de) /g, " ")] },
    data_nascimento: {
      slip: 0.07,
      lost: 0.03,
      otherwise: [0.05, (t) => t.replace(/^(\d\d)\/(\d\d)/, "$2/$1")],
    },
    sexo: { lost: 0.02, otherwise: [0.01, (t) => (t === "M" ? "F" : "M")] },
    municipio: { slip: 0.03, lost: 0.02, otherwise: [0.15, (_, random) => random.pick(places)] },
  });
  return {
    columns,
    things(random) {
      const given = words(random, 190, 1, 3);
      const family = words(random, 280);
      places = words(random, 300);
      const surname = (): string =>
        `${random.chance(0.3) ? random.pick(["da ", "dos ", "de "]) : ""}${often(random, family, 4)}`;
      const born = (): string => day(random, 1940, 2015, (y, m, d) => `${d}/${m}/${y}`);
      let mother = { name: "", place: "", father: "", twins: "" };
      return () => {
        if (mother.name === "" || random.chance(0.55)) {
          const name = `${often(random, given, 5)} ${surname()} ${surname()}`;
          mother = { name, place: often(random, places, 15), father: surname(), twins: born() };
        }
        const second = random.chance(0.4) ? ` ${often(random, given, 5)}` : "";
        return {
          nome: `${often(random, given, 5)}${second} ${mother.name.split(" ").at(-1)} ${mother.father}`,
          nome_da_mae: mother.name,
          data_nascimento: random.chance(0.04) ? mother.twins : born(),
          sexo: random.pick(["M", "F"]),
          municipio: mother.place,
        };
      };
    },
    rewrite: spoil,
  };
}

/** People written in Chinese: short names, of which many come often. */
export function residents(): Kind {
  const family = [
    ..."王李张刘陈杨黄赵吴周徐孙马朱胡郭何林罗高郑梁谢宋唐许韩邓冯曹彭曾肖田董潘袁蔡蒋余于杜叶程魏苏吕丁任卢姚沈钟姜崔谭陆范汪廖石金韦贾夏付方邹熊白孟秦邱侯江尹薛闫段雷龙黎史陶贺毛郝顾龚邵万覃武钱戴严莫孔向常",
  ];
  const given = [
    ..."伟芳娜敏静丽强磊军洋勇艳杰娟涛明超秀霞平刚桂英华玉兰红建文辉力鹏志永国庆春梅海燕雪松林峰晨阳子涵宇轩浩然欣怡思梦佳琪俊豪",
  ];
  const towns = "云海市 青山县 白河镇 石桥镇 南溪县 东湖区 西岭县 北辰区 龙泉镇 平安县 长乐市 太和县".split(" ");
  const roads = "人民路 解放路 建设街 和平街 新华路 光明街 胜利路 文化路 工业街".split(" ");
  const spoil = byChance({
    姓名: { otherwise: [0.12, (t, random) => t.slice(0, -1) + random.pick(given)] },
    出生日期: { slip: 0.1, lost: 0.05 },
    地址: { lost: 0.05, otherwise: [0.15, (t) => t.replace(/\d+号/, "")] },
    电话: { slip: 0.1, lost: 0.2 },
  });
  return {
    columns: "姓名 性别 出生日期 地址 电话".split(" "),
    things(random) {
      let before: Thing | null = null;
      return () => {
        const thing = {
          姓名: often(random, family, 6) + random.pick(given) + (random.chance(0.7) ? random.pick(given) : ""),
          性别: random.pick(["男", "女"]),
          出生日期: day(random, 1940, 2012, iso),
          地址: `${random.pick(towns)}${random.pick(roads)}${random.whole(1, 200)}号`,
          电话: random.chance(0.3) ? "" : `13${digits(random, 9)}`,
        };
        return (before = after(random, thing, before, 0.3, ["地址"]));
      };
    },
    rewrite: spoil,
  };
}

/** Restaurants, some of a chain, whose kind everybody names in another way. */
export function restaurants(): Kind {
  const kinds = "Italian,French,Seafood,Coffee,Delis,Steakhouses,Chinese,Vegetarian".split(",");
  let [names, streets, towns]: string[][] = [[], [], []];
  const spoil = byChance({
    name: {
      slip: 0.1,
      otherwise: [
        0.5,
        (t, random) => t.replace(/^The | Restaurant$/, "") + (random.chance(0.2) ? ` on ${random.pick(streets!)}` : ""),
      ],
    },
    addr: {
      slip: 0.1,
      otherwise: [
        0.6,
        (t, random) =>
          t
            .replace("St.", "Street")
            .replace("Blvd.", "Boulevard")
            .replace(/ [NSWE]\./, "") + (random.chance(0.3) ? ` near ${random.pick(streets!)}` : ""),
      ],
    },
    city: { slip: 0.03, otherwise: [0.1, (_, random) => random.pick(towns!)] },
    phone: { slip: 0.05, lost: 0.02, otherwise: [0.9, (t) => t.replace("/", "-")] },
    type: { otherwise: [0.6, (_, random) => random.pick(kinds)] },
  });
  return {
    columns: "name addr city phone type".split(" "),
    things(random) {
      [names, streets, towns] = [words(random, 700), words(random, 300), words(random, 40)];
      const ends = "Restaurant Cafe Grill Bistro Kitchen Room".split(" ");
      const chains = Array.from({ length: 30 }, () => `${random.pick(names!)} ${random.pick(["Grill", "Pizza"])}`);
      const own = (): string =>
        `${random.chance(0.3) ? "The " : ""}${random.pick(names!)}${random.chance(0.6) ? ` ${random.pick(ends)}` : ""}`;
      return () => ({
        name: random.chance(0.25) ? random.pick(chains) : own(),
        addr: `${random.whole(1, 9000)} ${random.pick(["N. ", "S. ", "W. ", "E. ", ""])}${random.pick(streets!)} ${random.pick(["St.", "Ave.", "Blvd."])}`,
        city: often(random, towns!, 4),
        phone: `${random.whole(200, 900)}/${digits(random, 3)}-${digits(random, 4)}`,
        type: random.pick(kinds),
      });
    },
    rewrite: spoil,
  };
}

/** Songs: those of one album have all in common but their title and length. */
export function songs(): Kind {
  const genres = "Pop Rock Country Jazz Dance Choral".split(" ");
  const spoil = byChance({
    song_name: {
      slip: 0.06,
      otherwise: [0.4, (t, random) => t.replace(/ \(.*\)/, "") + (random.chance(0.3) ? " [Single]" : "")],
    },
    artist_name: { slip: 0.05 },
    album_name: { slip: 0.05, otherwise: [0.6, (t) => t.replace(" (Long Version)", " [Long]")] },
    genre: { lost: 0.1, otherwise: [0.6, (t) => `${t} Music`] },
    price: { lost: 0.1, otherwise: [0.4, (_, random) => random.pick(["0.99", "1.29"])] },
    copyright: { lost: 0.2, otherwise: [0.7, (t) => t.replace("℗", "(C)")] },
    time: { slip: 0.2, lost: 0.02 },
    released: { slip: 0.05, lost: 0.1 },
  });
  return {
    columns: "song_name artist_name album_name genre price copyright time released".split(" "),
    things(random) {
      const vocabulary = words(random, 900, 1, 3);
      const artists = words(random, 600);
      const title = (most: number): string =>
        Array.from({ length: random.whole(1, most) }, () => random.pick(vocabulary)).join(" ");
      const version = (): string => random.pick([" (Remix)", " (Live)", ` (with ${random.pick(artists)})`]);
      let album: Thing | null = null;
      return () => {
        if (!album || random.chance(0.12)) {
          album = {
            artist_name: random.pick(artists) + (random.chance(0.5) ? ` ${random.pick(artists)}` : ""),
            album_name: title(3) + (random.chance(0.3) ? " (Long Version)" : ""),
            genre: random.pick(genres),
            price: random.pick(["0.99", "1.29"]),
            copyright: `℗ ${random.whole(1995, 2020)} ${random.pick(artists)} Records`,
            released: day(random, 1995, 2020, iso),
          };
        }
        const song_name = title(4) + (random.chance(0.12) ? version() : "");
        return { ...album, song_name, time: `${random.whole(2, 6)}:${two(random.whole(0, 59))}` };
      };
    },
    rewrite: spoil,
  };
}

/** Devices in two shops' words: a model's number that is often missing, prices that differ. */
export function devices(): Kind {
  const nouns = "laptop printer camera router headset monitor keyboard scanner tablet speaker drive".split(" ");
  const traits = "black silver wireless compact portable pro slim hd digital 15.6in 500gb 1tb usb 12mp".split(" ");
  const reworded: Spoiling = (text, random) => {
    const parts = text.split(" ");
    if (random.chance(0.5)) return parts.filter(() => random.chance(0.8)).join(" ") || text;
    return [...parts, random.pick(traits), random.pick(traits)].join(" ");
  };
  const spoil = byChance({
    title: { slip: 0.1, otherwise: [0.7, reworded] },
    category: { otherwise: [0.6, (_, random) => random.pick(["electronics", "computers", "office"])] },
    brand: { slip: 0.03, lost: 0.2 },
    modelno: { slip: 0.05, lost: 0.25, otherwise: [0.3, (t) => t.toLowerCase()] },
    price: { lost: 0.1, otherwise: [0.9, (t, random) => (Number(t) * (0.85 + 0.3 * random.next())).toFixed(2)] },
  });
  return {
    columns: "title category brand modelno price".split(" "),
    things(random) {
      const brands = words(random, 60);
      return () => {
        const brand = often(random, brands, 5);
        const noun = random.pick(nouns);
        const model = random.pick([..."ABDFKMPX"]) + random.pick([..."LSTX"]) + digits(random, random.whole(3, 5));
        return {
          title: `${brand} ${random.pick(traits)} ${random.pick(traits)} ${noun}${random.chance(0.6) ? ` ${model}` : ""}`,
          category: `${noun}s`,
          brand,
          modelno: random.chance(0.25) ? "" : model,
          price: (10 ** (1 + 2 * random.next())).toFixed(2),
        };
      };
    },
    rewrite: spoil,
  };
}

/** Payments and what was asked for: the amount is the same, the day some days later, the payer cut. */
export function payments(): Kind {
  const spoil = byChance({
    payer: { slip: 0.05, otherwise: [0.4, (t) => t.split(" ")[0]!.toUpperCase()] },
    amount: { slip: 0.01 },
    value_date: {
      otherwise: [0.6, (t, random) => t.slice(0, 8) + two(Math.min(28, Number(t.slice(8)) + random.whole(1, 3)))],
    },
    reference: { slip: 0.08, lost: 0.15, otherwise: [0.5, (t) => t.replace("INV-", "Re. ")] },
  });
  return {
    columns: "payer amount currency value_date reference".split(" "),
    things(random, scale) {
      const names = words(random, Math.max(200, scale / 5));
      let payer = "";
      return () => {
        if (payer === "" || random.chance(0.4))
          payer = `${random.pick(names)} ${random.pick(["GmbH", "AG", "Handel KG", "Ltd", "& Sons"])}`;
        return {
          payer,
          amount: random.chance(0.2) ? `${random.pick([50, 100, 250])}.00` : (10 ** (1 + 3 * random.next())).toFixed(2),
          currency: random.pick(["EUR", "EUR", "USD"]),
          value_date: day(random, 2024, 2024, iso),
          reference: random.chance(0.2) ? "" : `INV-${digits(random, 6)}`,
        };
      };
    },
    rewrite: spoil,
  };
}

/** Vehicles, with a keeper who changes. */
export function vehicles(): Kind {
  const makes = "Arden Bolt Corva Delta Eon Fjord".split(" ");
  const colours = "red blue black white silver grey".split(" ");
  let families: string[] = [];
  const keeper = (random: Random): string => `${random.pick([..."ABCDEFGHJKLMNPRST"])}. ${often(random, families)}`;
  const spoil = byChance({
    registration: { slip: 0.15, lost: 0.03, otherwise: [0.4, (t) => t.replace(" ", "")] },
    make: { slip: 0.02, lost: 0.03 },
    model: { slip: 0.05, lost: 0.05 },
    colour: { lost: 0.05, otherwise: [0.08, (_, random) => random.pick(colours)] },
    year: { lost: 0.03, otherwise: [0.08, (t) => String(Number(t) + 1)] },
    keeper: { slip: 0.1, lost: 0.05, otherwise: [0.15, (_, random) => keeper(random)] },
    postcode: { slip: 0.08, lost: 0.05 },
  });
  return {
    columns: "registration make model colour year keeper postcode".split(" "),
    things(random) {
      families = words(random, 1500);
      return () => {
        const make = random.pick(makes);
        const letters = (count: number): string => word(random, 2, 2).slice(0, count).toUpperCase();
        return {
          registration: `${letters(2)}${digits(random, 2)} ${letters(3)}`,
          make,
          model: `${make.charAt(0)}${random.whole(1, 6)}00`,
          colour: random.pick(colours),
          year: String(random.whole(1998, 2023)),
          keeper: keeper(random),
          postcode: `${random.pick(["QF", "QX", "QZ"])}${random.whole(1, 30)} ${random.whole(1, 9)}${random.pick(["AB", "CD"])}`,
        };
      };
    },
    rewrite: spoil,
  };
}

/** Books: editions of one have title and author in common, and a number of their own. */
export function books(): Kind {
  const spoil = byChance({
    title: {
      slip: 0.1,
      otherwise: [0.3, (t, random) => t.replace(/^The /, "") + (random.chance(0.3) ? ": a novel" : "")],
    },
    author: { slip: 0.08, otherwise: [0.4, (t) => t.replace(/(\S+) (\S+)/, "$2, $1")] },
    publisher: { slip: 0.05, lost: 0.1, otherwise: [0.5, (t) => t.replace(" Press", "")] },
    isbn: { slip: 0.05, lost: 0.4 },
    year: { lost: 0.1 },
    pages: { lost: 0.2, otherwise: [0.4, (t, random) => String(Number(t) + random.whole(-8, 8))] },
  });
  return {
    columns: "title author publisher isbn year pages".split(" "),
    things(random) {
      const vocabulary = words(random, 500, 1, 3);
      const names = words(random, 900);
      const publishers = words(random, 50);
      const title = (): string =>
        (random.chance(0.4) ? "The " : "") +
        Array.from({ length: random.whole(1, 4) }, () => random.pick(vocabulary)).join(" ");
      let last: Thing | null = null;
      const publisher = (): string => `${random.pick(publishers)} Press`;
      const edition = (): Thing => ({ isbn: `978${digits(random, 10)}`, pages: String(random.whole(90, 700)) });
      return () => {
        if (last && random.chance(0.25)) {
          const year = String(Number(last["year"]) + random.whole(1, 5));
          return (last = { ...last, ...edition(), year, ...(random.chance(0.4) && { publisher: publisher() }) });
        }
        const author = `${random.pick(names)} ${random.pick(names)}`;
        const year = String(random.whole(1950, 2022));
        return (last = { title: title(), author, publisher: publisher(), year, ...edition() });
      };
    },
    rewrite: spoil,
  };
}

/** Hotels of few towns, with a place on the map that is measured again. */
export function hotels(): Kind {
  let names: string[] = [];
  const near: Spoiling = (text, random) => (Number(text) + (random.next() - 0.5) / 500).toFixed(4);
  const spoil = byChance({
    hotel: {
      slip: 0.1,
      otherwise: [
        0.4,
        (t, random) => t.replace(/Hotel |Grand /, "") + (random.chance(0.3) ? ` by ${random.pick(names)}` : ""),
      ],
    },
    address: { slip: 0.1, lost: 0.05, otherwise: [0.6, (t) => t.replace("street", "St.")] },
    city: { slip: 0.03 },
    lat: { lost: 0.05, otherwise: [0.9, near] },
    lng: { lost: 0.05, otherwise: [0.9, near] },
    stars: { lost: 0.1, otherwise: [0.2, (_, random) => String(random.whole(1, 5))] },
  });
  return {
    columns: "hotel address city country lat lng stars".split(" "),
    things(random) {
      names = words(random, 400);
      const towns = words(random, 60);
      return () => {
        const town = Math.floor(towns.length * random.next() ** 2);
        const begin = random.pick(["Hotel ", "Grand ", "Park ", ""]);
        return {
          hotel: `${begin}${random.pick(names)}${random.pick([" Inn", " Palace", "", " Suites"])}`,
          address: `${random.pick(names)} street ${random.whole(1, 90)}`,
          city: towns[town]!,
          country: ["Norland", "Estmark", "Sudria"][town % 3]!,
          lat: (40 + (town % 9) + random.next() / 20).toFixed(5),
          lng: (5 + Math.floor(town / 9) + random.next() / 20).toFixed(5),
          stars: String(random.whole(1, 5)),
        };
      };
    },
    rewrite: spoil,
  };
}
