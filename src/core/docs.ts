import { STEPS, STEP_IDS, stepPart } from "./cleanse/index.ts";
import { FUNCTIONS, type FormulaFunction } from "./formula/functions.ts";

const code = (text: string): string => `\`${text.replaceAll("|", "\\|")}\``;
const json = (value: unknown): string => code(JSON.stringify(value));

function signature(f: FormulaFunction): string {
  return f.method ? `value.${f.name}(${f.params.join(", ")})` : `${f.name}(${f.params.join(", ")})`;
}

/** The page about formulas, its functions and examples from the table that runs them. */
export function formulasPage(): string {
  const rows = FUNCTIONS.map((f) => {
    const examples = f.examples.map(([source, value]) => `${code(source)} is ${json(value)}`).join("; ");
    return `| ${code(signature(f))} | ${f.about} | ${examples} |`;
  });
  return `# Formulas

Formulas are written in the Common Expression Language (CEL), an open standard. They stand in checks (\`that\`), in the steps \`derive\` (\`by\`) and \`leave-out\` (\`when\`).

- A field is spoken of by its name and has the type of its contract: text and code are texts, integer a whole number, decimal a decimal number, boolean true or false, date the first moment of its day in UTC, timestamp a moment. \`it\` is the cell that a check or step is about.
- **Empty**: where a field is empty that the formula does not ask about (\`x == null\`), a check passes, a derived value is empty, and nothing is left out.
- Whole and decimal numbers are compared, and not reckoned together: write \`2.0\` for \`2\` beside a decimal field.
- \`&&\`, \`||\`, \`!\`, \`a ? b : c\`, \`x in ['a', 'b']\`, \`+ - * / %\`, \`== != < <= > >=\`, texts in single or double quotes, \`timestamp('2026-02-28T00:00:00Z')\`, \`duration('36h')\`. Texts are ordered by code points.
- Patterns are RE2 and run in linear time. A formula has at most 4,000 characters and 1,000 parts, and at most two macros over lists (\`all\`, \`exists\`, \`map\`, \`filter\`) inside each other.
- What is reckoned for a decimal field is rounded to the field's digits after the point.
- A formula that has no value for a record (a division by zero, say) does not hold in a check, and leaves the cell of a derived field as it is.

Formulas are compiled; what is beyond the compiler is taken by the language's library, record by record, with the same result.

## Functions

| function | gives | examples |
|---|---|---|
${rows.join("\n")}
`;
}

/** The page about cleansing steps, from the parts themselves. */
export function stepsPage(): string {
  const rows = STEP_IDS.map((id) => {
    const part = stepPart(id);
    const options = Object.keys(STEPS[id].options).map(code).join(", ");
    const cells = part.examples.slice(0, 3).map((e) => `${json(e.from)} → ${json(e.to)}`);
    const records = (part.records ?? []).slice(0, 2).map((e) => `${json(e.from)} → ${e.to ? json(e.to) : "left out"}`);
    return `| ${code(id)} | ${part.about} | ${options} | ${[...cells, ...records].join("; ")} |`;
  });
  return `# Cleansing steps

A step works on the fields that \`in\` names, \`"*"\` for all. Steps run in their order, before types and checks, and each counts the cells that it changed. Empty cells are left alone, but by \`fill\`, \`join\` and \`derive\`.

| \`do\` | what it does | options | examples |
|---|---|---|---|
${rows.join("\n")}
`;
}
