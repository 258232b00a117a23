import { z } from "zod";
import { compilePattern, patternSchema } from "../kernel/pattern.ts";
import { fitsName } from "../kernel/file-name.ts";
import { plainNameSchema } from "../plan/name.ts";
import { gatePart, short, type Announced } from "./part.ts";

const grams = [
  { field: "seeds", count: 3, sum: "900" },
  { field: "grams", count: 3, sum: "12.5" },
];
const said = (text: string) => [{ name: "a.ctl", text }];
const find = String.raw`(?P<n>[\d,]+);(?P<g>[\d.]+)`;
const own = { in: "side file" as const, name: "*.ctl", find, records: "n" };

/** What the sender says was sent is what was read. */
export const controlTotals = gatePart({
  id: "control totals",
  title: "totals that the sender says",
  about: "A number of records, or a sum of a field, that is not what the sender says stops the load.",
  options: {
    in: z
      .enum(["last lines", "side file"])
      .describe("Where the sender says what was sent: skip_end lines, or a file beside the others"),
    name: z.string().min(1).max(200).optional().describe("The side file's name; * stands for anything"),
    find: patternSchema.describe("A pattern (RE2) with a named group for each total, such as END;(?P<n>\\d+)"),
    records: z.string().max(60).optional().describe("The group that is the number of records"),
    sums: z
      .array(
        z.strictObject({
          field: plainNameSchema,
          group: z.string().min(1).max(60),
          within: z.number().min(0).optional(),
        }),
      )
      .max(50)
      .optional()
      .describe("Fields of numbers, each with the group that is its sum and how far it may be off"),
  },
  sentence: null,
  controls: {},
  types: ["integer", "decimal"],
  figures: true,
  begin: () => ({ in: "side file" as const, name: "*.ctl", find: "(?P<records>\\d+)", records: "records" }),
  mapFields(options, change) {
    if (!options.sums) return options;
    const { sums, ...others } = options;
    const kept = sums.flatMap((s) => {
      const field = change(s.field);
      return field === null ? [] : [{ ...s, field }];
    });
    if (kept.length > 0) return { ...others, sums: kept };
    return options.records ? others : null;
  },
  fault({ in: where, name, find, records, sums = [] }, { skipEnd }) {
    const { names } = compilePattern(find);
    const asked = [...(records ? [records] : []), ...sums.map((s) => s.group)];
    const lacks = asked.find((g) => !names.includes(g));
    if (asked.length === 0) return "It compares nothing: name the group of the records, or of a sum.";
    if (lacks) return `The pattern has no group ${lacks}.`;
    if (where === "side file" && !name) return "A side file needs its name.";
    if (where === "last lines" && skipEnd === 0)
      return "The last lines are records unless the read section's skip_end says how many are none.";
    return null;
  },
  judge(gate, { controls, read, figures }) {
    const where = gate.in === "side file" ? `a file ${gate.name ?? ""}` : "the last lines";
    const pattern = compilePattern(gate.find);
    const found = controls.flatMap((c) => pattern.groups(c.text));
    if (found.length === 0) {
      return {
        passed: false,
        message: `The control totals were not found in ${where}${controls.length === 0 ? ", for there is none" : ""}.`,
      };
    }
    const said = (group: string): number | null => {
      const texts = found.flatMap((g) => g[group] ?? []);
      if (texts.length === 0) return null;
      return texts.reduce((n, t) => n + Number(t.replace(/[\s,'](?=\d{3}(\D|$))/g, "")), 0);
    };
    const parts: string[] = [];
    const announced: Announced[] = [];
    let passed = true;
    const compare = (what: string, theirs: number | null, ours: number, within: number): void => {
      if (theirs === null) {
        passed = false;
        parts.push(`they don't say ${what}`);
        return;
      }
      announced.push({ what, announced: theirs, came: ours });
      const agree = Math.abs(theirs - ours) <= within + Math.abs(theirs) * 1e-12;
      passed &&= agree;
      parts.push(
        `${what}: ${short(theirs)} announced, ${short(ours)} read${agree ? "" : `, ${short(Math.abs(theirs - ours))} ${ours < theirs ? "too few" : "too many"}`}`,
      );
    };
    if (gate.records) compare("records", said(gate.records), read, 0);
    for (const { field, group, within = 0 } of gate.sums ?? []) {
      const figure = figures.find((f) => f.field === field);
      compare(`sum of ${field}`, said(group), Number(figure?.sum ?? 0), within);
    }
    return { passed, message: `${parts.join("; ")}.`, announced };
  },
  examples: [
    { options: own, measured: { read: 1234, controls: said("1,234;9") }, passed: true, says: "1,234 announced" },
    { options: own, measured: { read: 3, controls: said("5;9") }, passed: false, says: "2 too few" },
    { options: own, measured: { read: 3, controls: [] }, passed: false, says: "for there is none" },
    { options: own, measured: { read: 9, controls: said("5;9") }, passed: false, says: "4 too many" },
    {
      options: { ...own, find: "END(?P<n>x)?" },
      measured: { read: 3, controls: said("END") },
      passed: false,
      says: "they don't say records",
    },
    {
      options: { ...own, sums: [{ field: "grams", group: "g", within: 0.1 }] },
      measured: { read: 3, controls: said("3;12.6"), figures: grams },
      passed: true,
      says: "sum of grams: 12.6 announced, 12.5 read",
    },
    {
      options: { ...own, sums: [{ field: "grams", group: "g" }] },
      measured: { read: 3, controls: said("3;12.4"), figures: grams },
      passed: false,
      says: "0.1 too many",
    },
  ],
});

/** A gate on control totals that stand in a file beside the others, by that file's name. */
export function isControlFile(
  gates: readonly { readonly limit: string; readonly in?: unknown; readonly name?: unknown }[],
  name: string,
): boolean {
  return gates.some(
    (g) => g.limit === controlTotals.id && g.in === "side file" && typeof g.name === "string" && fitsName(g.name, name),
  );
}
