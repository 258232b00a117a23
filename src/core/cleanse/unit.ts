import { z } from "zod";
import { UNITS, UNIT_IDS } from "../type/units.ts";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

/** Degrees of any scale as kelvins, and back. */
const KELVINS: Record<string, readonly [(t: number) => number, (k: number) => number]> = {
  "°C": [(t) => t + 273.15, (k) => k - 273.15],
  "°F": [(t) => ((t - 32) * 5) / 9 + 273.15, (k) => ((k - 273.15) * 9) / 5 + 32],
  K: [(t) => t, (k) => k],
};

const options = {
  to: z.enum(UNIT_IDS).describe("The unit that the numbers are in then"),
  from: z.enum(UNIT_IDS).optional().describe("The unit of an amount that names none; such an amount stays unless said"),
  digits: z
    .int()
    .min(0)
    .max(12)
    .optional()
    .describe("Digits after the point; as many as are needed, up to 9, unless said"),
};

export type UnitOptions = OptionsOf<typeof options>;

export const unit: StepPart<UnitOptions> = {
  id: "unit",
  title: "Amounts with units",
  about: "Writes an amount with its unit as a plain number of one unit: 1.2 kg becomes 1200.",
  options,
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
