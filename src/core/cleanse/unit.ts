import { z } from "zod";
import { byText, type StepPart } from "./part.ts";

/** Units by kind, each with how much of the kind's first unit it is: exact, as the SI and the 1959 agreement define them. */
const KINDS: Record<string, Record<string, readonly [factor: number, ...names: string[]]>> = {
  mass: {
    g: [1, "gram", "grams", "gr", "gramme"],
    mg: [0.001, "milligram", "milligrams"],
    kg: [1000, "kilo", "kilos", "kilogram", "kilograms"],
    t: [1_000_000, "tonne", "tonnes"],
    oz: [28.349523125, "ounce", "ounces"],
    lb: [453.59237, "lbs", "pound", "pounds"],
  },
  length: {
    m: [1, "metre", "metres", "meter", "meters"],
    mm: [0.001, "millimetre", "millimetres", "millimeter"],
    cm: [0.01, "centimetre", "centimetres", "centimeter"],
    km: [1000, "kilometre", "kilometres", "kilometer"],
    in: [0.0254, "inch", "inches", '"', "″"],
    ft: [0.3048, "foot", "feet", "'", "′"],
    yd: [0.9144, "yard", "yards"],
    mi: [1609.344, "mile", "miles"],
  },
  area: {
    "m²": [1, "m2", "sqm", "sq m"],
    "cm²": [0.0001, "cm2"],
    ha: [10_000, "hectare", "hectares"],
    "km²": [1_000_000, "km2"],
    ac: [4046.8564224, "acre", "acres"],
    "ft²": [0.09290304, "ft2", "sq ft"],
  },
  volume: {
    l: [1, "litre", "litres", "liter", "liters", "ltr"],
    ml: [0.001, "millilitre", "millilitres", "milliliter"],
    cl: [0.01, "centilitre"],
    "m³": [1000, "m3"],
    "cm³": [0.001, "cm3", "cc"],
  },
  time: {
    s: [1, "sec", "second", "seconds"],
    min: [60, "minute", "minutes"],
    h: [3600, "hr", "hrs", "hour", "hours"],
    d: [86_400, "day", "days"],
    wk: [604_800, "week", "weeks"],
  },
  temperature: { "°C": [1, "c", "celsius", "deg c"], "°F": [1, "f", "fahrenheit", "deg f"], K: [1, "kelvin"] },
};

interface Unit {
  readonly kind: string;
  readonly id: string;
  readonly factor: number;
}

const UNITS = new Map<string, Unit>();
for (const [kind, units] of Object.entries(KINDS)) {
  for (const [id, [factor, ...names]] of Object.entries(units)) {
    for (const name of [id, ...names]) UNITS.set(name.toLowerCase(), { kind, id, factor });
  }
}
const IDS = Object.values(KINDS).flatMap((units) => Object.keys(units)) as [string, ...string[]];

/** The unit that a word is, with its kind; null for a word that is none. */
export function unitOf(word: string): { readonly id: string; readonly kind: string } | null {
  return UNITS.get(word.trim().toLowerCase().replace(/\.$/, "")) ?? null;
}

/** Degrees of any scale as kelvins, and back. */
const KELVINS: Record<string, readonly [(t: number) => number, (k: number) => number]> = {
  "°C": [(t) => t + 273.15, (k) => k - 273.15],
  "°F": [(t) => ((t - 32) * 5) / 9 + 273.15, (k) => ((k - 273.15) * 9) / 5 + 32],
  K: [(t) => t, (k) => k],
};

export interface UnitOptions {
  readonly to: string;
  readonly from?: string | undefined;
  readonly digits?: number | undefined;
}

export const unit: StepPart<UnitOptions> = {
  id: "unit",
  title: "Amounts with units",
  about: "Writes an amount with its unit as a plain number of one unit: 1.2 kg becomes 1200.",
  options: {
    to: z.enum(IDS).describe("The unit that the numbers are in then"),
    from: z.enum(IDS).optional().describe("The unit of an amount that names none; such an amount stays unless said"),
    digits: z
      .int()
      .min(0)
      .max(12)
      .optional()
      .describe("Digits after the point; as many as are needed, up to 9, unless said"),
  },
  words: ({ to, from }) => `amounts in ${to}${from ? `, in ${from} where no unit is said` : ""}`,
  apply: ({ to, from, digits }) => {
    const target = UNITS.get(to.toLowerCase())!;
    return byText((text) => {
      const match = /^\s*([-+−]?\d+(?:[.,]\d+)?)\s*([^\d\s].*?)?\s*$/u.exec(text);
      if (!match) return text;
      const name = (match[2] ?? from ?? "").toLowerCase().replace(/\.$/, "");
      const source = UNITS.get(name);
      if (source?.kind !== target.kind) return text;
      const n = Number(match[1]!.replace(",", ".").replace("−", "-"));
      const amount =
        source.kind === "temperature"
          ? KELVINS[target.id]![1](KELVINS[source.id]![0](n))
          : (n * source.factor) / target.factor;
      if (!Number.isFinite(amount)) return text;
      return digits === undefined ? String(Number(amount.toFixed(9))) : amount.toFixed(digits);
    });
  },
  examples: [
    { options: { to: "g" }, from: "1.2 kg", to: "1200" },
    { options: { to: "g" }, from: "2,5kg", to: "2500" },
    { options: { to: "g" }, from: "3 oz", to: "85.048569375" },
    { options: { to: "g", digits: 1 }, from: "3 oz.", to: "85.0" },
    { options: { to: "m" }, from: "100 feet", to: "30.48" },
    { options: { to: "ha" }, from: "2.5 km²", to: "250" },
    { options: { to: "°C", digits: 1 }, from: "50 °F", to: "10.0" },
    { options: { to: "g" }, from: "12", to: "12" },
    { options: { to: "g", from: "kg" }, from: "12", to: "12000" },
    { options: { to: "g" }, from: "3 m", to: "3 m" },
    { options: { to: "g" }, from: "a handful", to: "a handful" },
  ],
};
