import { listed } from "../kernel/problem.ts";
import { gatePart } from "./part.ts";

/** Every field that must not be empty has its column in every file. */
export const requiredColumn = gatePart({
  id: "required column missing",
  title: "a file without the column of a required field",
  about: "A file that has no column for a field which must not be empty stops the load.",
  options: {},
  sentence: "required column missing",
  controls: {},
  once: true,
  begin: () => ({}),
  judge(_, { files, required }) {
    const lacking = files.flatMap((f) => {
      const names = f.missing.filter((m) => required.includes(m));
      return names.length > 0 ? [`${f.name} has no column for ${listed(names)}`] : [];
    });
    return {
      passed: lacking.length === 0,
      message: lacking.length === 0 ? "Every required column is there." : `${lacking.join("; ")}.`,
    };
  },
  examples: [
    {
      options: {},
      measured: { required: ["b"], files: [{ name: "a.csv", columns: ["x"], missing: ["b", "c"], extra: [] }] },
      passed: false,
      says: "a.csv has no column for b.",
    },
    {
      options: {},
      measured: { required: ["b"], files: [{ name: "a.csv", columns: ["x"], missing: ["c"], extra: [] }] },
      passed: true,
      says: "Every required column",
    },
  ],
});
