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

export interface Unit {
  readonly kind: string;
  readonly id: string;
  readonly factor: number;
}

/** Units by what they are called, in lower case. */
export const UNITS: ReadonlyMap<string, Unit> = new Map(
  Object.entries(KINDS).flatMap(([kind, units]) =>
    Object.entries(units).flatMap(([id, [factor, ...names]]) =>
      [id, ...names].map((name) => [name.toLowerCase(), { kind, id, factor }] as const),
    ),
  ),
);
export const UNIT_IDS = Object.values(KINDS).flatMap((units) => Object.keys(units)) as [string, ...string[]];

/** The unit that a word is, with its kind; null for a word that is none. */
export function unitOf(word: string): { readonly id: string; readonly kind: string } | null {
  return UNITS.get(word.trim().toLowerCase().replace(/\.$/, "")) ?? null;
}
