import { byChance, day, digits, inGroups, iso, often, without, words, type Spoiling } from "./by-chance.ts";
import { capital, two, type Kind, type Thing } from "./kinds.ts";

/**
 * Kinds of things that come about in groups whose members have nearly everything in common and are not the same: flats
 * of one house, what was collected on one day, litters, sizes of one shoe. What tells them apart is often a single short
 * value. None of them was made while what is judged by them was.
 */

const padded = (n: number, width: number): string => String(n).padStart(width, "0");
const columnsOf = (text: string): string[] => text.split(" ");
const upper: Spoiling = (text) => text.toUpperCase();
const firstLetter: Spoiling = (text) => text.slice(0, 1);
const halved: Spoiling = (text) => text.slice(0, Math.ceil(text.length / 2));
const digitOff: Spoiling = (text, random) => text.replace(/\d(?=\D*$)/, () => String(random.whole(0, 9)));
const off =
  (most: number): Spoiling =>
  (text, random) =>
    text === "" ? "" : String(Number(text) + random.whole(-most, most));

/** Flats of a land register: many in one house, some of one owner; the unit alone tells them apart. */
export function flats(): Kind {
  const spoil = byChance({
    unit: { slip: 0.02, lost: 0.02, otherwise: [0.4, (text) => text.replace(/^Flat /, "").replace(/^Unit /, "Flat ")] },
    building: { slip: 0.15, lost: 0.2 },
    street: { slip: 0.15, lost: 0.02 },
    town: { slip: 0.08, lost: 0.02 },
    postcode: { slip: 0.05, lost: 0.05 },
    owner: { slip: 0.2, lost: 0.03, otherwise: [0.1, (text) => text.split(" ").reverse().join(", ")] },
    area: { lost: 0.1, otherwise: [0.1, off(2)] },
  });
  return {
    columns: columnsOf("unit building house_no street town postcode owner area"),
    things(random, scale) {
      const streets = words(random, 500);
      const towns = words(random, 120);
      const given = words(random, 250, 1, 2);
      const family = words(random, Math.max(400, scale / 3));
      const owner = (): string => `${often(random, given)} ${often(random, family)}`;
      return inGroups(() => {
        const landlord = owner();
        const house = {
          building: random.chance(0.5) ? `${random.pick(streets)} House` : "",
          house_no: String(random.whole(1, 200)),
          street: `${often(random, streets)} Street`,
          town: often(random, towns),
          postcode: digits(random, 5),
        };
        return Array.from({ length: random.pick([1, 2, 4, 6, 12, 30]) }, (_, i) => ({
          ...house,
          unit: `${random.chance(0.8) ? "Flat" : "Unit"} ${i + 1}`,
          owner: random.chance(0.3) ? landlord : owner(),
          area: String(random.pick([35, 48, 48, 62, 62, 75, 90])),
        }));
      });
    },
    rewrite: spoil,
  };
}

/** What was collected on the days of expeditions: one collector, numbers one after the other, one place, few taxa. */
export function accessions(): Kind {
  const spoil = byChance({
    accession_number: { slip: 0.05, lost: 0.35 },
    taxon: { slip: 0.15, otherwise: [0.15, (text) => `${text.charAt(0)}. ${text.split(" ")[1]}`] },
    collector: { slip: 0.1, lost: 0.05, otherwise: [0.2, (text) => text.split(" ").at(-1)!] },
    collecting_number: { slip: 0.03, lost: 0.1 },
    collected_on: { slip: 0.03, lost: 0.08, otherwise: [0.05, (text) => text.slice(0, 7)] },
    locality: { slip: 0.3, lost: 0.1, otherwise: [0.15, halved] },
    altitude: { lost: 0.2, otherwise: [0.1, off(50)] },
  });
  return {
    columns: columnsOf("accession_number taxon collector collecting_number collected_on country locality altitude"),
    things(random, scale) {
      const genera = words(random, 60);
      const species = words(random, 200).map((name) => name.toLowerCase());
      const taxa = Array.from({ length: 350 }, () => `${often(random, genera)} ${random.pick(species)}`);
      const collectors = Array.from({ length: Math.max(20, scale / 60) }, () =>
        [...words(random, 1, 1, 2), ...words(random, 1)].join(" "),
      );
      const places = words(random, 400);
      const next = new Map<string, number>();
      let number = 10_000;
      return inGroups(() => {
        const collector = often(random, collectors);
        const collected_on = day(random, 1975, 2024, iso);
        const country = random.pick(["Norrland", "Vesmark", "Ostria", "Halland", "Merova"]);
        const where = `${random.whole(1, 40)} km ${random.pick(["N", "S", "E", "W"])} of ${often(random, places)}`;
        const altitude = random.whole(2, 240) * 10;
        const few = Array.from({ length: 4 }, () => random.pick(taxa));
        return Array.from({ length: random.whole(1, 14) }, () => {
          const n = (next.get(collector) ?? random.whole(1, 900)) + 1;
          next.set(collector, n);
          return {
            accession_number: `AC${padded(++number, 6)}`,
            taxon: random.chance(0.6) ? random.pick(few) : random.pick(taxa),
            collector,
            collecting_number: String(n),
            collected_on,
            country,
            locality: where,
            altitude: String(altitude + random.whole(0, 3) * 10),
          };
        });
      });
    },
    rewrite: spoil,
  };
}

/** Animals by their tags: a litter has its mother, father, day, breed and farm in common, and tags one after the other. */
export function litters(): Kind {
  const spoil = byChance({
    tag: { slip: 0.06, lost: 0.04, otherwise: [0.2, (text) => text.replace(/\s/g, "")] },
    born_on: { slip: 0.04, lost: 0.05 },
    sex: { slip: 0, lost: 0.1 },
    breed: { lost: 0.05, otherwise: [0.3, upper] },
    dam: { slip: 0.05, lost: 0.1 },
    sire: { slip: 0.05, lost: 0.2 },
    weight: { lost: 0.3, otherwise: [0.5, off(1)] },
  });
  return {
    columns: columnsOf("tag born_on sex breed dam sire holding weight"),
    things(random, scale) {
      const holdings = Array.from({ length: Math.max(15, scale / 120) }, () => digits(random, 9));
      const breeds = words(random, 12);
      const next = new Map<string, number>();
      return inGroups(() => {
        const holding = often(random, holdings);
        const breed = often(random, breeds, 3);
        const born_on = day(random, 2015, 2024, iso);
        const [dam, sire] = [`${holding} ${digits(random, 5)}`, `${random.pick(holdings)} ${digits(random, 5)}`];
        return Array.from({ length: random.whole(1, 9) }, () => {
          const n = (next.get(holding) ?? 0) + 1;
          next.set(holding, n);
          return {
            tag: `${holding} ${padded(n, 5)}`,
            born_on,
            sex: random.pick(["F", "M"]),
            breed,
            dam,
            sire,
            holding,
            weight: String(random.whole(9, 19)),
          };
        });
      });
    },
    rewrite: spoil,
  };
}

/** Pupils with brothers and sisters, many of whom share all but a given name and a birth date, which is not always there. */
export function pupils(): Kind {
  const spoil = byChance({
    given_name: { slip: 0.12, otherwise: [0.12, firstLetter] },
    surname: { slip: 0.12 },
    birth_date: { slip: 0.05, lost: 0.15 },
    class: { lost: 0.1, otherwise: [0.35, digitOff] },
    parent_phone: { slip: 0.06, lost: 0.15 },
    parent_email: { slip: 0.05, lost: 0.25 },
    address: { slip: 0.25, lost: 0.05 },
  });
  return {
    columns: columnsOf("given_name surname birth_date school class parent_phone parent_email address"),
    things(random, scale) {
      const given = words(random, 180, 1, 2);
      const family = words(random, Math.max(300, scale / 4));
      const schools = words(random, 14).map((name) => `${name} School`);
      const streets = words(random, 300);
      return inGroups(() => {
        const surname = often(random, family);
        const year = random.whole(2007, 2014);
        const at = {
          surname,
          school: often(random, schools, 4),
          parent_phone: `0${digits(random, 8)}`,
          parent_email: `${surname.toLowerCase()}${random.whole(1, 99)}@post.example`,
          address: `${random.whole(1, 150)} ${random.pick(streets)} Road`,
        };
        let twin: string | null = null;
        return Array.from({ length: random.pick([1, 1, 2, 2, 3, 4]) }, (_, i) => {
          const birth: string = twin && random.chance(0.1) ? twin : day(random, year + i, year + i, iso);
          twin = birth;
          const school = Math.min(12, Math.max(1, 2020 - Number(birth.slice(0, 4))));
          return without(
            random,
            {
              ...at,
              given_name: often(random, given),
              birth_date: birth,
              class: `${school}${random.pick(["a", "b", "c"])}`,
            },
            { birth_date: 0.1, parent_email: 0.3 },
          );
        });
      });
    },
    rewrite: spoil,
  };
}

/** A census without days or numbers: few given names, ages that are a year or two off, whole families and their servants. */
export function census(): Kind {
  const spoil = byChance({
    given_name: { slip: 0.12, otherwise: [0.1, (text) => `${text.slice(0, 2)}.`] },
    surname: { slip: 0.2 },
    age: { lost: 0.02, otherwise: [0.5, off(2)] },
    occupation: { lost: 0.2, slip: 0.1 },
    birthplace: { slip: 0.15, lost: 0.05 },
    parish: { slip: 0.05 },
  });
  return {
    columns: columnsOf("given_name surname age relation occupation birthplace parish"),
    things(random, scale) {
      const given = words(random, 45, 1, 2);
      const family = words(random, Math.max(250, scale / 8));
      const places = words(random, 150);
      const parishes = words(random, 25);
      const trades = words(random, 40).map((name) => name.toLowerCase());
      return inGroups(() => {
        const surname = often(random, family, 20);
        const parish = often(random, parishes, 6);
        const age = random.whole(25, 65);
        const home = random.chance(0.6) ? parish : often(random, places);
        const person = (relation: string, years: number, more: Thing = {}): Thing => ({
          given_name: often(random, given, 5),
          surname,
          age: String(years),
          relation,
          occupation: "",
          birthplace: random.chance(0.8) ? parish : home,
          parish,
          ...more,
        });
        const children = Array.from({ length: random.whole(0, 6) }, (_, i) =>
          person(random.chance(0.5) ? "son" : "daughter", Math.max(0, age - 24 - 2 * i)),
        );
        return [
          person("head", age, { occupation: often(random, trades), birthplace: home }),
          ...(random.chance(0.8)
            ? [person("wife", age - random.whole(-3, 8), { birthplace: often(random, places) })]
            : []),
          ...children,
          ...(random.chance(0.2) ? [person("servant", random.whole(14, 30), { surname: often(random, family) })] : []),
        ];
      });
    },
    rewrite: spoil,
  };
}

/** Articles in sizes and colours, each a thing of its own; the number that every one has is missing in four of ten. */
export function variants(): Kind {
  const spoil = byChance({
    title: {
      slip: 0.1,
      otherwise: [
        0.3,
        (text, random) =>
          text
            .split(" ")
            .sort(() => random.next() - 0.5)
            .join(" "),
      ],
    },
    brand: { lost: 0.1, otherwise: [0.3, upper] },
    colour: { slip: 0.03, otherwise: [0.2, (text) => text.slice(0, 3)] },
    size: { lost: 0.02 },
    price: { otherwise: [0.4, off(5)], lost: 0.05 },
    ean: { lost: 0.4, slip: 0.02 },
  });
  return {
    columns: columnsOf("title brand colour size price ean"),
    things(random, scale) {
      const brands = words(random, 40);
      const models = words(random, Math.max(200, scale / 8));
      const kinds = ["trail shoe", "boot", "sandal", "running shoe", "slipper", "work boot"];
      const colours = ["black", "white", "navy", "dark grey", "light grey", "red", "olive", "sand"];
      return inGroups(() => {
        const brand = often(random, brands);
        const title = `${random.pick(models)} ${random.chance(0.3) ? `${random.whole(2, 4)} ` : ""}${random.pick(kinds)}`;
        const price = String(random.whole(39, 219));
        const from = random.whole(36, 40);
        return Array.from({ length: random.whole(1, 3) }, () => random.pick(colours))
          .filter((colour, i, list) => list.indexOf(colour) === i)
          .flatMap((colour) =>
            Array.from({ length: random.whole(2, 7) }, (_, i) => ({
              title,
              brand,
              colour,
              size: String(from + i),
              price,
              ean: random.chance(0.6) ? digits(random, 13) : "",
            })),
          );
      });
    },
    rewrite: spoil,
  };
}

/** Invoices of suppliers, many every month with one amount; numbers run on. */
export function invoices(): Kind {
  const spoil = byChance({
    supplier: { slip: 0.1, otherwise: [0.3, upper] },
    invoice_no: { lost: 0.08, slip: 0.05, otherwise: [0.3, (text) => text.replace(/\D/g, "")] },
    amount: { slip: 0.03 },
    invoice_date: { lost: 0.1, slip: 0.02 },
    subject: { lost: 0.3, slip: 0.2, otherwise: [0.3, halved] },
  });
  return {
    columns: columnsOf("supplier invoice_no amount invoice_date subject"),
    things(random, scale) {
      const suppliers = words(random, Math.max(40, scale / 20)).map(
        (name) => `${name} ${random.pick(["Ltd", "GmbH", "Services", "& Sons", "Energy"])}`,
      );
      const subjects = words(random, 60).map((name) => name.toLowerCase());
      let n = 1000;
      return inGroups(() => {
        const supplier = often(random, suppliers);
        const monthly = random.chance(0.4);
        const amount = `${random.whole(20, 4000)}.${two(random.whole(0, 99))}`;
        const subject = `${random.pick(subjects)} ${random.pick(subjects)}`;
        const year = random.whole(2021, 2024);
        const begin = random.whole(1, 6);
        return Array.from({ length: monthly ? 6 : 1 }, (_, i) => ({
          supplier,
          invoice_no: `${supplier.slice(0, 2).toUpperCase()}-${year}-${padded((n += random.whole(1, 4)), 5)}`,
          amount,
          invoice_date: monthly ? iso(String(year), two(begin + i), "01") : day(random, year, year, iso),
          subject: monthly ? `${subject} ${two(begin + i)}/${year}` : subject,
        }));
      });
    },
    rewrite: spoil,
  };
}

/** People whose names are two or three signs, of whom one in four has one of few family names. */
export function hanPeople(): Kind {
  const families = [..."王李张刘陈杨黄赵吴周徐孙马朱胡郭何林高罗郑梁谢宋唐许韩冯邓曹彭曾肖田董潘袁蔡蒋余于杜叶程"];
  const signs = [
    ..."伟芳娜敏静丽强磊军洋勇艳杰娟涛明超秀霞平刚桂英华玉萍红玲建文辉力波斌宇浩凯健俊帆雪琴云莲真环荣爱妹香月莺媛瑞佳嘉琼勤珍贞莉",
  ];
  const spoil = byChance({
    name: { otherwise: [0.1, (text, random) => text.slice(0, -1) + random.pick(signs)] },
    birth_date: { slip: 0.04, lost: 0.08 },
    mobile: { slip: 0.05, lost: 0.15 },
    district: { lost: 0.05 },
    address: { lost: 0.1, otherwise: [0.25, digitOff] },
  });
  return {
    columns: columnsOf("name birth_date mobile district address"),
    things(random) {
      const districts = ["东城区", "西城区", "朝阳区", "海淀区", "丰台区", "石景山区", "通州区"];
      const roads = Array.from({ length: 80 }, () => `${random.pick(signs)}${random.pick(signs)}路`);
      return inGroups(() => {
        const district = random.pick(districts);
        const address = `${random.pick(roads)}${random.whole(1, 200)}号${random.whole(1, 12)}单元${random.whole(101, 1204)}`;
        const family = often(random, families, 6);
        const mobile = `1${digits(random, 10)}`;
        return Array.from({ length: random.pick([1, 1, 2, 3]) }, (_, i) => ({
          name: `${i === 1 ? often(random, families, 6) : family}${random.pick(signs)}${random.chance(0.75) ? random.pick(signs) : ""}`,
          birth_date: day(random, 1945, 2015, iso),
          mobile: random.chance(0.3) ? mobile : `1${digits(random, 10)}`,
          district,
          address,
        }));
      });
    },
    rewrite: spoil,
  };
}

/** People of homes, hostels and camps: hundreds with one address and one telephone, and others who live alone. */
export function residentsOfHomes(): Kind {
  const spoil = byChance({
    given_name: { slip: 0.15, lost: 0.02 },
    surname: { slip: 0.15 },
    birth_date: { slip: 0.06, lost: 0.12, otherwise: [0.08, (text) => `${text.slice(0, 4)}-01-01`] },
    phone: { slip: 0.06, lost: 0.15 },
    street: { slip: 0.15, lost: 0.05 },
    town: { slip: 0.05 },
  });
  return {
    columns: columnsOf("given_name surname birth_date phone street town postcode"),
    things(random, scale) {
      const given = words(random, 220, 1, 2);
      const family = words(random, Math.max(400, scale / 4));
      const streets = words(random, 300);
      const towns = words(random, 40);
      const place = (): Thing => ({
        phone: `0${digits(random, 9)}`,
        street: `${often(random, streets)} ${random.whole(1, 90)}`,
        town: often(random, towns),
        postcode: digits(random, 5),
      });
      const homes = Array.from({ length: 6 }, place);
      return () => {
        const inHome = random.chance(0.5);
        const at = inHome ? random.pick(homes) : place();
        return {
          ...at,
          phone: inHome && random.chance(0.3) ? `0${digits(random, 9)}` : at["phone"]!,
          given_name: often(random, given),
          surname: often(random, family),
          // Of many no more is known than the year.
          birth_date:
            inHome && random.chance(0.25) ? `${random.whole(1940, 2004)}-01-01` : day(random, 1925, 2004, iso),
        };
      };
    },
    rewrite: spoil,
  };
}

/** Staff: the address of e-mail follows from the name, the manager and the cost centre from the department. */
export function staff(): Kind {
  const spoil = byChance({
    name: { slip: 0.15, otherwise: [0.25, (text) => text.split(" ").reverse().join(", ")] },
    email: { lost: 0.15 },
    title: { lost: 0.1, otherwise: [0.3, (text, random) => `${random.pick(["Senior", "Lead", "Junior"])} ${text}`] },
    extension: { lost: 0.1, otherwise: [0.15, (_, random) => digits(random, 4)] },
    started_on: { slip: 0.03, lost: 0.05 },
  });
  return {
    columns: columnsOf("name email title department cost_centre manager site extension started_on"),
    things(random, scale) {
      const given = words(random, 150, 1, 2);
      const family = words(random, Math.max(300, scale / 4));
      const sites = words(random, 8);
      const departments = words(random, 45).map((name) => ({
        department: `${name} ${random.pick(["Operations", "Sales", "Systems", "Care"])}`,
        cost_centre: `CC${digits(random, 4)}`,
        manager: `${random.pick(given)} ${random.pick(family)}`,
        site: random.pick(sites),
      }));
      const used = new Map<string, number>();
      const titles = ["Analyst", "Engineer", "Clerk", "Planner", "Nurse", "Driver", "Buyer", "Technician"];
      // Whole classes begin on one day.
      const days = Array.from({ length: 60 }, () => day(random, 2005, 2024, iso));
      return () => {
        const name = `${often(random, given)} ${often(random, family)}`;
        const plain = name.toLowerCase().replace(" ", ".");
        const n = (used.get(plain) ?? 0) + 1;
        used.set(plain, n);
        return {
          name,
          email: `${plain}${n > 1 ? n : ""}@firm.example`,
          title: random.pick(titles),
          ...random.pick(departments),
          extension: digits(random, 4),
          started_on: random.chance(0.6) ? random.pick(days) : day(random, 2005, 2024, iso),
        };
      };
    },
    rewrite: spoil,
  };
}

/** Projects in phases: long titles of which one figure differs, one lead, one funder. */
export function projects(): Kind {
  const spoil = byChance({
    title: { slip: 0.2, otherwise: [0.3, (text) => text.toLowerCase().replace(/\bof the\b|\bin the\b/g, "")] },
    lead: { slip: 0.1, otherwise: [0.3, (text) => `${text.charAt(0)}. ${text.split(" ").at(-1)}`] },
    funder: { lost: 0.1, otherwise: [0.2, upper] },
    amount: { lost: 0.1, otherwise: [0.3, (text) => `${text.slice(0, -3)}000`] },
    year: { lost: 0.05, otherwise: [0.1, off(1)] },
  });
  return {
    columns: columnsOf("title lead funder amount year"),
    things(random, scale) {
      const subjects = words(random, 200).map((name) => name.toLowerCase());
      const leads = Array.from({ length: Math.max(60, scale / 6) }, () =>
        [...words(random, 1, 1, 2), ...words(random, 1)].join(" "),
      );
      const funders = words(random, 15).map((name) => `${name} Foundation`);
      return inGroups(() => {
        const lead = often(random, leads, 30);
        const funder = often(random, funders, 4);
        const [a, b, c] = [random.pick(subjects), random.pick(subjects), random.pick(subjects)];
        const begin = capital(random.pick(["effects", "history", "conservation", "mapping", "survey"]));
        const title = `${begin} of the ${a} ${b} in the ${c} region`;
        const phases = random.pick([1, 1, 1, 2, 3]);
        const year = random.whole(2005, 2020);
        return Array.from({ length: phases }, (_, i) => ({
          title: phases > 1 ? `${title}, phase ${i + 1}` : title,
          lead,
          funder,
          amount: String(random.whole(20_000, 900_000)),
          year: String(year + 2 * i),
        }));
      });
    },
    rewrite: spoil,
  };
}

/** Measuring points along rivers: names that count on, places near each other, codes one after the other. */
export function stations(): Kind {
  const spoil = byChance({
    code: { lost: 0.2, slip: 0.03 },
    name: { slip: 0.15, otherwise: [0.2, (text) => text.replace("Weir", "W.").replace("Gauge", "G.")] },
    river: { lost: 0.1, slip: 0.08 },
    latitude: { otherwise: [0.5, (text) => text.slice(0, -2)] },
    longitude: { otherwise: [0.5, (text) => text.slice(0, -2)] },
    operator: { lost: 0.2, otherwise: [0.2, upper] },
  });
  return {
    columns: columnsOf("code name river latitude longitude operator since"),
    things(random, scale) {
      const rivers = words(random, Math.max(30, scale / 30));
      const operators = words(random, 7).map((name) => `${name} Water Board`);
      let n = 100;
      return inGroups(() => {
        const river = random.pick(rivers);
        const operator = random.pick(operators);
        const [lat, lon] = [random.whole(480_000, 560_000), random.whole(60_000, 190_000)];
        const what = random.pick(["Weir", "Gauge", "Bridge", "Lock"]);
        const since = String(random.whole(1950, 2020));
        const at = (x: number): string => (x / 10_000).toFixed(4);
        return Array.from({ length: random.whole(1, 8) }, (_, i) => ({
          code: `ST${padded(++n, 5)}`,
          name: `${river} ${what} ${i + 1}`,
          river,
          latitude: at(lat + 30 * i + random.whole(0, 20)),
          longitude: at(lon + 30 * i + random.whole(0, 20)),
          operator,
          since: random.chance(0.6) ? since : String(random.whole(1950, 2020)),
        }));
      });
    },
    rewrite: spoil,
  };
}

/** Festivals and the like: each comes again a year later, on about the same day. */
export function events(): Kind {
  const spoil = byChance({
    title: { slip: 0.2, otherwise: [0.1, upper] },
    organiser: { lost: 0.1, slip: 0.1 },
    town: { slip: 0.05 },
    begins: { slip: 0.02, lost: 0.05 },
  });
  return {
    columns: columnsOf("title town organiser begins"),
    things(random, scale) {
      const places = words(random, Math.max(200, scale / 3));
      const organisers = words(random, 200).map((name) => `${name} Society`);
      const towns = words(random, 60);
      const made = new Set<string>();
      return () => {
        for (;;) {
          const kind = random.pick(["Festival", "Fair", "Congress", "Lectures", "Regatta"]);
          const title = `${random.pick(places)} ${kind} of ${random.pick(places)}`;
          if (made.has(title)) continue;
          made.add(title);
          const organiser = often(random, organisers);
          return { title, town: often(random, towns), organiser, begins: day(random, 2023, 2023, iso) };
        }
      };
    },
    rewrite: spoil,
    next: (random, thing) => {
      const [, month, on] = thing["begins"]!.split("-") as [string, string, string];
      const begins = iso("2024", month, two(Math.min(28, Number(on) + random.whole(0, 2))));
      return { ...thing, begins };
    },
  };
}

/** Every kind that comes about in groups, by its name. */
export const GROUPED_KINDS: Readonly<Record<string, () => Kind>> = {
  flats,
  accessions,
  litters,
  pupils,
  census,
  variants,
  invoices,
  "people in Han signs": hanPeople,
  "people of homes": residentsOfHomes,
  staff,
  projects,
  stations,
};
