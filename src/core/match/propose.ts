import type { Field } from "../field/field.ts";
import type { ComparatorId } from "./compare/index.ts";
import type { MatchField, MatchSection } from "./schema.ts";

/** What a field may hold, as its name or title says in one of many languages. */
type Concept =
  | "given"
  | "family"
  | "person"
  | "e-mail"
  | "phone"
  | "street"
  | "house"
  | "unit"
  | "postcode"
  | "town"
  | "state"
  | "country"
  | "organisation"
  | "code"
  | "year"
  | "sex"
  | "thing"
  | "text";

/**
 * Words that names of fields are made of, by concept, the first that fits: whole words, or beginnings where
 * an asterisk follows. English, German, French, Spanish, Italian, Portuguese, Dutch, the Scandinavian
 * languages, Finnish, Polish, Czech, Hungarian, Turkish, Russian, Chinese and Japanese.
 */
const WORDS: readonly (readonly [Concept, string])[] = [
  ["text", "note* remark* comment* description* bemerkung* kommentar* observacion* opis*"],
  ["year", "year born jahr annee ano anno jaar ar vuosi rok ev yil год"],
  ["e-mail", "mail* email* courriel correo correio posta sahkoposti почта 邮箱 电子邮件 メール"],
  [
    "phone",
    "phone* telephone* tel telefon* telefono telefone mobile mobil handy cell* gsm fax puhelin numer_telefonu телефон* 电话 手机 电话号码 手机号码 電話 電話番号",
  ],
  [
    "postcode",
    "postcode* postal* zip* plz postleitzahl code_postal codigo_postal cap cep postnr postnummer kod_pocztowy psc iranyitoszam индекс 邮编 邮政编码 郵便番号",
  ],
  [
    "house",
    "house house_no house_number hausnr hausnummer street_no street_number huisnummer numero_civico civico husnummer talo numer_domu дом",
  ],
  [
    "unit",
    "unit flat apartment apt suite room wohnung top appartement apartamento interno lgh mieszkanie byt квартира",
  ],
  [
    "street",
    "street* address* addr strasse* straße* anschrift adresse* rue calle direccion via indirizzo rua endereco straat adres gata gatuadress gate vej katu osoite ulica utca cim sokak адрес улица 地址 住址 街道 住所",
  ],
  [
    "given",
    "given* first* forename* vorname* prenom* nombre nombres nome voornaam fornamn fornavn etunimi imie jmeno keresztnev utonev ad имя 名",
  ],
  [
    "family",
    "surname* family* last last_name lastname nachname* familienname* nom nom_de_famille apellido* cognome sobrenome achternaam efternamn etternavn efternavn sukunimi nazwisko prijmeni vezeteknev soyad soyadi фамилия 姓 姓氏",
  ],
  [
    "organisation",
    "compan* organi* institution* institut* garden* employer* publisher* firm* firma unternehmen verein entreprise societe empresa azienda ditta bedrijf foretag yritys spolka ceg sirket организация компания 公司 单位 会社",
  ],
  ["country", "country land pays pais paese maa kraj zeme orszag ulke страна nation 国家 国籍 国"],
  [
    "state",
    "state province region county district bundesland kanton departement provincia regione estado lan fylke maakunta wojewodztwo kraj okres megye il область регион 省 省份 都道府県",
  ],
  [
    "town",
    "town city village suburb borough place site locality station municipality municipio ort stadt gemeinde wohnort ville commune lieu ciudad localidad citta comune cidade stad plaats kommun by kaupunki miasto mesto varos sehir город село 城市 市 市区町村",
  ],
  ["sex", "sex gender geschlecht sexe sexo sesso kon sukupuoli plec pohlavi nem cinsiyet пол 性别 性別"],
  [
    "code",
    "iban passport* isbn issn doi orcid vat licen* ssn soc_sec* social_security* nhs_number national_id* identity* id_number id_card tax_id tin cpf cnpj dni nif pesel bsn personnummer fodselsnummer henkilotunnus versicherten* versicherungsnummer sozialversicherung* steuernummer steuer_id ausweis* insurance_no insurance_number policy_no policy_number serial* imei ean gtin upc barcode sku model_no modelno model_number part_no part_number article_no article_number artikelnummer registration plate kennzeichen vin account* konto* kontonummer reference* invoice_no invoice_number order_no order_number 身份证* 身份证号",
  ],
  [
    "person",
    "person* collector* author* contact* people autor* sammler* collecteur* auteur* full_name fullname наименование автор 姓名 名字 氏名",
  ],
  ["thing", "name*"],
];

/** Those who have a name that is a person's: what else is called so is the name of a thing, such as a song. */
const PERSONS =
  /^_names?_$|_(?:person|customer|client|patient|member|employee|student|pupil|teacher|owner|holder|keeper|applicant|donor|guest|user|mother|father|parent|spouse|child|maiden|middle|legal|preferred|display)s?_names?_/;

const plain = (text: string): string =>
  text
    .normalize("NFKD")
    .replace(/\p{Mn}/gu, "")
    .replace(/ß/g, "ss")
    .replace(/([a-zа-я])([A-ZА-Я])/g, "$1_$2")
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "_")
    .replace(/^_|_$/g, "");

/** Words by concept, ready to be looked for. */
const KNOWN = WORDS.map(([concept, list]) => ({
  concept,
  words: list.split(" ").map((word) => ({ text: plain(word.replace("*", "")), begins: word.endsWith("*") })),
}));

/** The concept that a name is of: some of its words together, or the beginning of one. */
function conceptOf(name: string): Concept | null {
  const text = `_${plain(name)}_`;
  const found = KNOWN.find(({ words }) =>
    words.some(({ text: word, begins }) => text.includes(begins ? `_${word}` : `_${word}_`)),
  );
  if (found) return found.concept === "thing" && PERSONS.test(text) ? "person" : found.concept;
  // Words are put together in some languages: “telefonnummer”, “firstname”, “custemail”.
  const inside = KNOWN.find(({ words }) => words.some(({ text: word }) => word.length >= 5 && text.includes(word)));
  return inside?.concept ?? null;
}

/** A field that would be compared, or would not, and why. */
export interface MatchReason {
  readonly in: readonly string[];
  readonly why: string;
}

export interface MatchProposal {
  readonly section: MatchSection;
  /** By field of the section. */
  readonly reasons: readonly MatchReason[];
  /** Fields of the contract that would not be compared. */
  readonly left: readonly MatchReason[];
}

interface Found {
  readonly field: { readonly by: ComparatorId; readonly [option: string]: unknown };
  readonly why: string;
}

const SAYS = "its name says so";

/** How a text is compared, by what its name says it holds. */
function byConcept(concept: Concept | null): Found | null {
  switch (concept) {
    case "given":
    case "family":
    case "person":
      return { field: { by: "person" }, why: `a name of a person: ${SAYS}` };
    case "e-mail":
      return { field: { by: "edit", as: "code" }, why: `an e-mail address: ${SAYS}` };
    case "code":
      return { field: { by: "edit", as: "code" }, why: `a code: ${SAYS}` };
    case "phone":
      return {
        field: { by: "edit", as: "code", shared: true },
        why: `a telephone number, which a household may share: ${SAYS}`,
      };
    case "postcode":
      return { field: { by: "edit", as: "code", shared: true }, why: `a postal code: ${SAYS}` };
    case "organisation":
      return { field: { by: "words", as: "organisation" }, why: `a name of an organisation: ${SAYS}` };
    case "street":
    case "house":
    case "unit":
      return { field: { by: "address" }, why: `an address: ${SAYS}` };
    case "country":
      return { field: { by: "words", as: "country" }, why: `a name of a country: ${SAYS}` };
    case "state":
    case "town":
      return { field: { by: "words", as: "place" }, why: `a name of a place: ${SAYS}` };
    default:
      return null;
  }
}

/** Numbers of the same thing may differ, and different things may have one in common: it speaks, and does not tell apart. */
const AMOUNT: Found = {
  field: { by: "number", shared: true },
  why: "a number, which may have changed and may be another one’s too",
};

/** Longer texts than this are no names. */
const LONGEST = 120;

function ofField(field: Field, concept: Concept | null): Found | string {
  if (field.type === "date") return { field: { by: "date" }, why: "a date" };
  if (field.type === "code") {
    const place = concept === "state" || concept === "country" || concept === "unit";
    return { field: { by: "equal", ...(place && { shared: true }) }, why: "one of a list of values" };
  }
  if (field.type === "integer") {
    if (concept === "code") return byConcept(concept)!;
    // A year, a number of a house: what tells things apart, not what is counted.
    if (concept === "postcode" || concept === "phone")
      return {
        field: { by: "number", shared: true },
        why: `a number that is no amount: ${SAYS}`,
      };
    if (concept === "year" || concept === "house" || concept === "unit")
      return { field: { by: "number" }, why: `a number that tells apart: ${SAYS}` };
    return AMOUNT;
  }
  if (field.type === "decimal") return AMOUNT;
  if (field.type !== "text") return "no text, number or day";
  if (concept === "text") return "a note";
  const known = byConcept(concept);
  if (known) return known;
  if ((field.length ?? 0) > LONGEST) return "a long text";
  return { field: { by: "words" }, why: "a short text" };
}

const LATITUDE = /^(?:lat|latitude|breite|geo_lat|шир)/;
const LONGITUDE = /^(?:lon|lng|long|longitude|lange|laenge|geo_lon|долг)/;

/** The name of a line of an address without its number: “address_1” and “address_line_2” are lines of one. */
const lineOf = (name: string): string => plain(name).replace(/(?:_?line)?_?\d$/, "");

/** Parts of one address, in the order in which they are written together. */
const ADDRESS_PARTS: readonly Concept[] = ["house", "street", "unit", "postcode", "town", "state"];
/** One of these must be there: a town and its state alone may be the name of a place that is to be told apart. */
const OF_ADDRESS: ReadonlySet<Concept | null> = new Set(["street", "postcode"]);
/** Fields that are compared at most. */
const MOST_FIELDS = 16;

/**
 * What would be compared in a contract, and how, from the types and names of its fields; and why. The
 * target's key is not compared, nor are long texts and points in time; null where nothing is left. The parts of
 * an address are compared as one, as are latitude and longitude. Names of a person are not: of people with
 * many errors a seventh fewer were found by given name and surname together. Amounts are, after all else: of
 * payments 97 in 100 were found with them where without them 56 were, of articles by two columns 97 and not 82;
 * what says nothing is left out by the model.
 */
export function proposeMatchWithReasons(fields: readonly Field[], key: readonly string[]): MatchProposal | null {
  const left: MatchReason[] = [];
  const all = fields.flatMap((field) => {
    if (field.name.startsWith("_")) return [];
    if (key.includes(field.name)) {
      left.push({ in: [field.name], why: "the key, which another record of the same thing does not have" });
      return [];
    }
    return [{ field, concept: conceptOf(field.name) ?? (field.title ? conceptOf(field.title) : null) }];
  });
  // Plants and products have families too: it is a person's name where given names stand beside it.
  const people = all.some((c) => c.concept === "given");
  const candidates = all.map((c) => (!people && plain(c.field.name) === "family" ? { ...c, concept: null } : c));
  const named = (test: RegExp): string | undefined =>
    candidates.find(({ field }) => test.test(plain(field.name)) && field.type !== "text" && field.type !== "date")
      ?.field.name;
  const [lat, lon] = [named(LATITUDE), named(LONGITUDE)];
  const parts = ADDRESS_PARTS.flatMap((part) => {
    const [first, ...others] = candidates.filter((c) => c.concept === part);
    return first ? [first, ...others.filter((c) => lineOf(c.field.name) === lineOf(first.field.name))] : [];
  });
  const isAddress = parts.length > 1 && parts.some((c) => OF_ADDRESS.has(c.concept));
  const together = isAddress ? parts.map((c) => c.field.name) : [];
  const found: { field: MatchField; why: string }[] = [];
  const amounts: typeof found = [];
  for (const { field, concept } of candidates) {
    if (lat && lon && (field.name === lat || field.name === lon)) continue;
    if (together.includes(field.name)) {
      if (field.name !== together[0]) continue;
      found.push({ field: { in: together, by: "address" }, why: "the parts of one address, as their names say" });
      continue;
    }
    const way = ofField(field, concept);
    if (typeof way === "string") left.push({ in: [field.name], why: way });
    else (way === AMOUNT ? amounts : found).push({ field: { ...way.field, in: [field.name] }, why: way.why });
  }
  if (lat && lon) {
    found.push({ field: { in: [lat, lon], by: "distance", km: 10 }, why: "a place on the map, as their names say" });
  }
  found.push(...amounts);
  if (found.length === 0) return null;
  for (const { field } of found.slice(MOST_FIELDS)) left.push({ in: field.in, why: `more than ${MOST_FIELDS} fields` });
  const kept = found.slice(0, MOST_FIELDS);
  return {
    section: { against: ["delivery"], fields: kept.map((f) => f.field), limits: {} },
    reasons: kept.map(({ field, why }) => ({ in: field.in, why })),
    left,
  };
}

/** The match section that would be proposed for a contract; null where nothing can be compared. */
export function proposeMatch(fields: readonly Field[], key: readonly string[]): MatchSection | null {
  return proposeMatchWithReasons(fields, key)?.section ?? null;
}
