import type { Doubt } from "./part.ts";

/** Rows before the one that names the columns that are passed over without being told to. */
const MOST_BEFORE = 30;
/** Rows after it that its cells are held against. */
const HELD_AGAINST = 100;
/** Between these points it can't be told whether a row is names. */
const SURELY_NAMES = 1.5;
const SURELY_VALUES = -1.5;

/** What a cell says for or against its row being names. */
const POINTS = {
  /** Words, where the values are numbers, days or codes. */
  otherKind: 3,
  /** What columns are called in many files. */
  known: 2,
  /** Written as programs name things, where the values are not. */
  identifier: 1.5,
  /** Written otherwise than nearly all values, which are written alike. */
  otherShape: 1,
  /** Written as the values are, which says little of plain words. */
  sameShape: -0.4,
  /** Written as the values are, with digits or marks in it, as values have them. */
  sameCode: -2,
  /** A value of its own column. */
  again: -4,
  /** One of numbers that follow one another. */
  series: 0.5,
  /** A number or a day. */
  number: -3,
  /** Nobody names a column like that. */
  long: -3,
  /** Nothing, or a name that another column has. */
  empty: -0.3,
};

/** Which row names the columns. */
export interface Header {
  /** Its number in the rows that were given; of the first record where none is names. */
  readonly row: number;
  readonly header: boolean;
  readonly why: string;
  readonly doubt: Doubt | null;
}

/**
 * Finds the row that names the columns. Each row of the beginning is held against those after it, cell by cell: where they have
 * numbers and it has words, it is names; where it is written as they are, it is a record.
 * @param rows the first rows of a table, cells as texts
 * @param line what a row is called, by its number in `rows`
 * @param settings what was said; `first` is set where the first row is the first of the table
 */
export function findHeader(
  rows: readonly (readonly string[])[],
  line: (row: number) => string,
  settings: { header?: boolean | undefined; first?: boolean } = {},
): Header {
  if (rows.length === 0)
    return { row: 0, header: settings.header ?? false, why: "there is no line in it", doubt: null };
  const width = usualWidth(rows);
  let best = { row: 0, points: -Infinity };
  for (let row = 0; row < Math.min(rows.length, MOST_BEFORE); row++) {
    if (row > 0 && settings.first) break;
    // Titles and notes fill a cell or two.
    if (filled(rows[row]!) < Math.max(1, width * 0.6)) continue;
    const points = pointsOf(rows[row]!, rows.slice(row + 1, row + 1 + HELD_AGAINST));
    const first = best.points === -Infinity;
    // A later row has to be names for sure, and much more so: what stands before it would be no records. Below a heading
    // over several columns, which leaves some empty, a little more is enough.
    const over = row === best.row + 1 && filled(rows[best.row]!) < filled(rows[row]!);
    // Below a record there is no heading any more, only one that is repeated.
    if (!first && (isRecord(rows[row - 1]!, rows.slice(row + 1, row + 1 + HELD_AGAINST)) || comesAgain(rows, row - 1)))
      break;
    if (first || (points >= SURELY_NAMES && points > best.points + (over ? 0 : POINTS.otherKind)))
      best = { row, points };
  }
  if (best.points === -Infinity) best = { row: 0, points: pointsOf(rows[0]!, rows.slice(1)) };
  if (settings.header !== undefined) return { row: best.row, header: settings.header, why: "as set", doubt: null };
  const { row, points } = best;
  const sure = points >= SURELY_NAMES || points <= SURELY_VALUES;
  const header =
    points >= SURELY_NAMES || (!sure && filled(rows[row]!) > 0 && rows.length > 1 && looksWordy(rows[row]!));
  const why = header
    ? `${line(row)} is names and not values${sure ? "" : ", as far as can be told"}`
    : `${line(row)} is written as those after it are${sure ? "" : ", as far as can be told"}`;
  if (!header) {
    // Records that lack some values look like titles: only what is like no value of its column stands before them.
    let from = 0;
    while (from < row && isTitle(rows[from]!, rows.slice(from + 1))) from++;
    if (from < row) return { ...withoutHeader(rows, from, line), doubt: null };
  }
  const reading = (value: boolean): Doubt["readings"][number] => ({
    value,
    says: `${line(row)} ${value ? "names the columns" : "is a record"}`,
    shows: rows[row]!.slice(0, 4).map((c) => c.trim()),
  });
  const readings = [reading(header), reading(!header)];
  return { row, header, why, doubt: sure || rows.length < 2 ? null : { setting: "header", readings } };
}

function withoutHeader(
  rows: readonly (readonly string[])[],
  row: number,
  line: (row: number) => string,
): Omit<Header, "doubt"> {
  const lacking = rows[row]!.length - filled(rows[row]!);
  return { row, header: false, why: `${line(row)} has values as those after it have, and lacks ${lacking}` };
}

/** Of fewer rows nothing can be said that a value is like. */
const TELLING = 4;

/** Whether a row is a title or a note: words in a few cells that are like no value of their columns. */
export function isTitle(row: readonly string[], all: readonly (readonly string[])[]): boolean {
  const others = all.slice(0, HELD_AGAINST);
  if (others.length < TELLING) return false;
  return row.every((raw, c) => {
    const cell = raw.trim();
    if (cell === "") return true;
    const values = valuesOf(others, c);
    if (kindOf(cell) !== "words" || values.includes(cell)) return false;
    const shape = shapeOf(cell);
    return values.length === 0 || !most(values, (v) => shapeOf(v) === shape);
  });
}

/** Whether most of a row's cells are values that other rows have in the same column. */
function comesAgain(rows: readonly (readonly string[])[], at: number): boolean {
  const row = rows[at]!;
  const own = row.join("\u0000");
  const one = filled(row) === 1;
  let again = 0;
  row.forEach((raw, c) => {
    const cell = raw.trim();
    if (cell === "") return;
    if (rows.some((o, i) => i !== at && o[c]?.trim() === cell && (one || o.join("\u0000") !== own))) again++;
  });
  return again > filled(row) / 2;
}

const filled = (row: readonly string[]): number => row.filter((c) => c.trim() !== "").length;

/** A column's values, without those that are empty. */
const valuesOf = (rows: readonly (readonly string[])[], column: number): string[] =>
  rows.map((r) => r[column]?.trim() ?? "").filter((v) => v !== "");

/** Nearly all of the values. */
const most = (values: readonly string[], test: (v: string) => boolean): boolean =>
  values.filter(test).length > values.length * 0.7;

const isNoWord = (text: string): boolean => kindOf(text) !== "words";

/** How many cells most rows have filled. */
function usualWidth(rows: readonly (readonly string[])[]): number {
  const counts = new Map<number, number>();
  for (const row of rows) {
    const n = filled(row);
    counts.set(n, (counts.get(n) ?? 0) + 1);
  }
  let usual = 1;
  for (const [n, times] of counts) if (n > 0 && times > (counts.get(usual) ?? 0)) usual = n;
  return usual;
}

const looksWordy = (row: readonly string[]): boolean =>
  row.every((c) => c.trim() === "" || /^[\p{L}_#]/u.test(c.trim()));

/** Whether a row has numbers and codes where others have them, more often than words in their place. */
function isRecord(row: readonly string[], others: readonly (readonly string[])[]): boolean {
  let alike = 0;
  row.forEach((raw, c) => {
    const cell = raw.trim();
    if (cell === "" || !most(valuesOf(others, c), isNoWord)) return;
    alike += isNoWord(cell) ? 1 : -1;
  });
  return alike > 0;
}

/**
 * What a row's cells say for its being names, all together. A heading that is repeated says nothing of itself; of one
 * column what comes again is a value.
 */
function pointsOf(row: readonly string[], all: readonly (readonly string[])[]): number {
  const own = row.join("\u0000");
  const others = filled(row) > 1 ? all.filter((o) => o.join("\u0000") !== own) : all;
  let points = 0;
  const names = new Set<string>();
  const numbers = row.map((c) => c.trim()).filter((c) => kindOf(c) === "number");
  // Years, or other numbers in a row, name columns of counts.
  const series = numbers.length > 1 && numbers.every((n, i) => i === 0 || Number(n) === Number(numbers[i - 1]) + 1);
  row.forEach((raw, c) => {
    const cell = raw.trim();
    if (cell === "" || names.has(cell)) {
      points += POINTS.empty;
      return;
    }
    names.add(cell);
    points += series && numbers.includes(cell) ? POINTS.series : pointsOfCell(cell, valuesOf(others, c));
  });
  return points;
}

const kindOf = (text: string): "number" | "code" | "words" =>
  /^[-+$€£]?[\d.,:/ -]*\d[\d.,:/% -]*$/.test(text) || /^\d{4}-\d\d?-\d\d?[T ]/.test(text)
    ? "number"
    : /\d/.test(text) || /[@]|:\/\//.test(text)
      ? "code"
      : "words";

function pointsOfCell(cell: string, values: readonly string[]): number {
  const kind = kindOf(cell);
  const known = KNOWN.has(plain(cell)) ? POINTS.known : 0;
  if (values.length === 0) return kind === "number" ? POINTS.number : known;
  if (values.includes(cell)) return POINTS.again;
  if (cell.length > 80) return POINTS.long;
  if (kind === "number") return most(values, (v) => kindOf(v) === "number") ? POINTS.number : POINTS.number / 2;
  if (kind === "words" && most(values, isNoWord)) return POINTS.otherKind;
  const shape = shapeOf(cell);
  const alike = most(values, (v) => shapeOf(v) === shape);
  if (kind === "code" && alike) return POINTS.sameCode;
  const identifier = isIdentifier(cell) && !most(values, isIdentifier) ? POINTS.identifier : 0;
  if (known > 0 || identifier > 0) return Math.max(known, identifier);
  if (alike) return kind === "code" ? POINTS.sameCode : POINTS.sameShape;
  const shapes = values.map(shapeOf);
  const [first] = shapes;
  return shapes.filter((s) => s === first).length > shapes.length * 0.9 ? POINTS.otherShape : 0;
}

/** How a text is written: runs of capitals, of small letters, of digits, and marks. */
const shapeOf = (text: string): string =>
  text
    .replace(/\p{Lu}+/gu, "A")
    .replace(/[\p{Ll}\p{Lo}]+/gu, "a")
    .replace(/\d+/g, "9")
    .replace(/(A?a ?)+/g, (words) => (words.includes("A") ? "Aa" : "a"));

/** `collected_on`, `collectedOn`, `id`, `ACC_NO`: one word as programs write names. */
const isIdentifier = (text: string): boolean =>
  /^#?[a-z][a-z0-9]*([_.-][a-z0-9]+)*$/.test(text) ||
  /^[a-z]+([A-Z][a-z0-9]*)+$/.test(text) ||
  /^[A-Z][A-Z0-9]*(_[A-Z0-9]+)+$/.test(text);

const plain = (text: string): string =>
  text
    .normalize("NFD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/^#/, "")
    .replace(/[\s_.:-]+/g, " ")
    .trim();

/** What columns are called in many files, in several languages, without accents. */
const KNOWN = new Set(
  [
    "id no nr num number key code name names title label type kind class category group status state date day month year time",
    "first name|last name|given name|family name|surname|full name|forename|middle name|birth date|date of birth|gender|sex",
    "address street city town village place county country region postcode zip|postal code|house number|phone telephone mobile",
    "email|e mail|url website company organisation organization department office role position comment comments note notes",
    "remark remarks description quantity qty amount price total value unit units currency count weight mass height width length",
    "latitude longitude lat lon lng altitude elevation species genus family author collector collected|collected on|site habitat",
    "vorname nachname familienname strasse ort stadt land plz datum bemerkung bemerkungen menge preis betrag einheit nummer art",
    "nom prenom rue ville pays date|code postal|telephone courriel remarque quantite prix montant unite numero espece",
    "nombre apellido apellidos calle ciudad pais fecha telefono correo cantidad precio importe unidad numero especie",
    "nome cognome via citta paese data telefono quantita prezzo importo unita specie cidade rua pais sobrenome preco quantidade",
    "naam voornaam achternaam straat stad datum opmerking aantal prijs imie nazwisko ulica miasto kraj data ilosc cena uwagi",
    "namn fornamn efternamn gata ort datum antal pris navn fornavn etternavn by antall jmeno prijmeni ulice mesto datum cena",
    "имя фамилия отчество адрес город улица страна дата телефон количество цена название код номер вид прізвище місто",
    "ad soyad adres sehir ulke tarih telefon miktar fiyat ονομα επωνυμο διευθυνση πολη χωρα ημερομηνια τηλεφωνο",
    "名前 氏名 住所 日付 電話 電話番号 数量 備考 番号 姓名 名称 地址 日期 城市 国家 編號 姓 名 이름 주소 날짜 전화번호 번호",
  ]
    .flatMap((l) => l.split("|"))
    .flatMap((part) => [part.trim(), ...part.split(" ")])
    .filter((w) => w.length > 1 || w > "\u3000"),
);
