import { z } from "zod";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const MOST = 20_000;

const options = {
  to: z
    .record(z.string().max(1000), z.array(z.string().min(1).max(1000)).max(MOST))
    .refine((to) => Object.keys(to).length <= MOST, `At most ${MOST} values.`)
    .describe("By wanted value: the values that become it"),
  same: z
    .enum(["exactly", "but for case and spaces"])
    .optional()
    .describe("How values are compared with the table; but for case and spaces unless said"),
  otherwise: z
    .enum(["stays", "empty"])
    .optional()
    .describe("What a value becomes that is not in the table; it stays unless said"),
  unknown: z
    .enum(["note", "hold", "stop"])
    .optional()
    .describe("What happens to a record whose value is not in the table; it goes on unless said"),
};

export type ValueMapOptions = OptionsOf<typeof options>;

/** What values become: each wanted value with the spellings that are it. */
export const valueMap: StepPart<ValueMapOptions> = {
  id: "value-map",
  title: "Map values",
  about: "Gives each value that is written in several ways its one proper spelling, from a table.",
  options,
  words: ({ to, otherwise }) =>
    `map values to ${Object.keys(to).slice(0, 4).join(", ")}${Object.keys(to).length > 4 ? ", …" : ""}${otherwise === "empty" ? ", others to nothing" : ""}`,
  apply({ to, same, otherwise }) {
    const plain = same === "exactly" ? (text: string) => text : loose;
    const table = new Map<string, string>();
    for (const [wanted, spellings] of Object.entries(to)) {
      for (const s of [wanted, ...spellings]) if (!table.has(plain(s))) table.set(plain(s), wanted);
    }
    return byText((text) => table.get(plain(text)) ?? (otherwise === "empty" ? "" : text));
  },
  examples: [
    { options: { to: { GB: ["UK", "Great Britain"] } }, from: "great  britain", to: "GB" },
    { options: { to: { GB: ["UK"] } }, from: "gb", to: "GB" },
    { options: { to: { GB: ["UK"] }, same: "exactly" }, from: "uk", to: "uk" },
    { options: { to: { GB: ["UK"] } }, from: "FR", to: "FR" },
    { options: { to: { GB: ["UK"] }, otherwise: "empty" }, from: "FR", to: "" },
  ],
};

function loose(text: string): string {
  return text.trim().replace(/\s+/g, " ").toLowerCase();
}
