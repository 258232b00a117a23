import type { Field } from "@/core/field/field.ts";

/** A unit as a power of ten of its dimension's own; of another system, with no power: it is known, and not converted. */
interface Unit {
  readonly of: string;
  readonly power: number | null;
}

const unit = (of: string, power: number | null, words: string): [string, Unit][] =>
  words.split(" ").map((word) => [word, { of, power }]);

/** Units by their symbols and words, in small letters without their marks. */
const UNITS: ReadonlyMap<string, Unit> = new Map([
  ...unit("length", -3, "mm millimeter millimetre millimeters millimetres"),
  ...unit("length", -2, "cm centimeter centimetre centimeters centimetres zentimeter"),
  ...unit("length", -1, "dm"),
  ...unit("length", 0, "m meter metre meters metres mtr mètre mètres metro metros masl"),
  ...unit("length", 3, "km kilometer kilometre kilometers kilometres"),
  ...unit("inches", null, "in inch inches zoll"),
  ...unit("feet", null, "ft foot feet"),
  ...unit("miles", null, "mi mile miles"),
  ...unit("mass", -6, "µg μg ug"),
  ...unit("mass", -3, "mg milligram milligrams"),
  ...unit("mass", 0, "g gr gram grams gramm gramme grammes gramo gramos"),
  ...unit("mass", 3, "kg kilo kilos kilogram kilograms kilogramm"),
  ...unit("mass", 6, "t tonne tonnes"),
  ...unit("pounds", null, "lb lbs pound pounds"),
  ...unit("ounces", null, "oz ounce ounces"),
  ...unit("volume", -3, "ml milliliter millilitre milliliters millilitres"),
  ...unit("volume", -2, "cl"),
  ...unit("volume", 0, "l liter litre liters litres"),
  ...unit("gallons", null, "gal gallon gallons"),
  ...unit("time", -3, "ms"),
  ...unit("time", 0, "s sec secs second seconds sekunden"),
  ...unit("minutes", null, "min mins minute minutes minuten"),
  ...unit("hours", null, "h hr hrs hour hours std stunden"),
  ...unit("days", null, "d day days tage jours"),
  ...unit("weeks", null, "wk wks week weeks"),
  ...unit("months", null, "month months mon monate mois"),
  ...unit("years", null, "yr yrs year years jahre ans"),
  ...unit("celsius", null, "c °c celsius"),
  ...unit("fahrenheit", null, "f °f fahrenheit"),
  ...unit("hectares", null, "ha hectare hectares"),
  ...unit("acres", null, "acre acres ac"),
]);

/** Words that multiply the number that they stand behind, or say that it is none. */
const COUNTS = new Set(
  "k m mn mio mrd bn million millions thousand tsd thousands hundred dozen dozens doz pair pairs percent % per pro half no not none".split(
    " ",
  ),
);

/** Whether the word behind a number makes another number of it. */
export const multiplies = (word: string): boolean => COUNTS.has(word) && !UNITS.has(word);

/** The unit that a word is, or undefined. */
export const unitOf = (word: string): Unit | undefined => UNITS.get(word.toLowerCase().replace(/\.$/, ""));

/** The unit in which a field is kept, where its name or its title says so: `altitude_m`, “Height (cm)”, “Weight in lb”. */
export function unitOfField({ name, title }: Pick<Field, "name" | "title">): Unit | undefined {
  const inBrackets = /[([]([^)\]]+)[)\]]\s*$/.exec(title ?? "")?.[1];
  const behindIn = /\sin\s+(\S+)\s*$/i.exec(title ?? "")?.[1];
  const behind = /_([a-zµμ°]+)$/i.exec(name)?.[1];
  for (const word of [inBrackets, behindIn, behind]) {
    const found = word === undefined ? undefined : unitOf(word.trim());
    if (found) return found;
  }
  return undefined;
}

/** A plain number with its point moved by so many places to the right, or to the left below 0; no digit is lost. */
export function pointMoved(plainNumber: string, places: number): string {
  const sign = plainNumber.startsWith("-") ? "-" : "";
  const [whole = "", part = ""] = plainNumber.slice(sign.length).split(".");
  const digits = `${"0".repeat(Math.max(0, -places))}${whole}${part}${"0".repeat(Math.max(0, places))}`;
  const at = Math.max(0, -places) + whole.length + places;
  const after = digits.slice(at).replace(/0+$/, "");
  return `${sign}${digits.slice(0, at).replace(/^0+(?=\d)/, "") || "0"}${after === "" ? "" : `.${after}`}`;
}
