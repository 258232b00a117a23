import { GATE_PARTS } from "../gate/parts.ts";
import { STEPS, STEP_IDS, stepPart } from "../cleanse/index.ts";
import { COMPARATOR_IDS, comparatorPart } from "../match/compare/index.ts";
import { SURVIVORSHIP_PARTS } from "../match/keep/parts.ts";
import { checkPart, FIELD_CHECKS } from "../field/checks/index.ts";
import { BETWEEN } from "../check/between/index.ts";
import { TYPE_IDS, typePart } from "../type/index.ts";
import { FUNCTIONS } from "../formula/functions.ts";
import type { FormulaFunction } from "../formula/define.ts";

const code = (text: string): string => `\`${text.replaceAll("|", "\\|")}\``;
const json = (value: unknown): string => code(JSON.stringify(value));

function signature(f: FormulaFunction): string {
  return f.method ? `value.${f.name}(${f.params.join(", ")})` : `${f.name}(${f.params.join(", ")})`;
}

/** The page about formulas, its functions and examples from the table that runs them. */
export function formulasPage(): string {
  // A function for several types stands once.
  const first = new Map([...FUNCTIONS].reverse().map((f) => [`${signature(f)} ${f.about}`, f]));
  const rows = FUNCTIONS.filter((f) => first.get(`${signature(f)} ${f.about}`) === f).map((f) => {
    const examples = f.examples.map(([source, value]) => `${code(source)} is ${json(value)}`).join("; ");
    return `| ${code(signature(f))} | ${f.about} | ${examples} |`;
  });
  return `# Formulas

Formulas are written in the Common Expression Language (CEL), an open standard. They stand in checks (\`that\`), in the steps \`derive\` (\`by\`) and \`leave-out\` (\`when\`).

- A field is spoken of by its name and has the type of its contract: text and code are texts, integer a whole number, decimal a decimal number, boolean true or false, date the first moment of its day in UTC, timestamp a moment, time the length of time since midnight, list a list, UUID and JSON texts; money is a decimal number, and a text such as \`12.50 EUR\` where each amount names its own currency. \`it\` is the cell that a check or step is about.
- **Empty**: where a field is empty that the formula does not ask about (\`x == null\`), a check passes, a derived value is empty, and nothing is left out.
- Whole and decimal numbers are compared, and not combined: write \`2.0\` for \`2\` beside a decimal field.
- \`&&\`, \`||\`, \`!\`, \`a ? b : c\`, \`x in ['a', 'b']\`, \`+ - * / %\`, \`== != < <= > >=\`, texts in single or double quotes, \`timestamp('2026-02-28T00:00:00Z')\`, \`duration('36h')\`. Texts are ordered by code points.
- Patterns are RE2 and run in linear time. A formula has at most 4,000 characters and 1,000 parts, and at most two macros over lists (\`all\`, \`exists\`, \`map\`, \`filter\`) inside each other. What it can cost for a record is estimated before one is seen, from 200 characters a cell: more than 200,000 steps are refused.
- What is computed for a decimal field is rounded to the field's digits after the point.
- **Lists**: \`inList\` and \`fromList\` ask a reference list by its key; the load keeps the version that it asked. The name of the list stands in the formula in quotes, so that the plan is known to ask it. The examples below ask a list \`countries\` with the columns code, name and now, where NO is Norway, SE is Sweden, and NOR is a synonym of NO; and a list \`vaults\` whose entry V1 says Harbour store until the end of 2020 and Hill store since.
- **The day of the load** is \`load.day\`, the first moment of it in UTC: the day on which the load was asked for, and of a release the day of the release. A rule such as “not in the future” is \`collected_on <= load.day\`; a load that is computed again later has the day that it had.
- CEL's extensions \`strings\` and \`math\` are there as they are specified.
- A formula that has no value for a record (a division by zero, say) does not hold in a check, and leaves the cell of a derived field as it is.

**Named formulas** are written once, with parameters, a body over them, and examples that must hold, and used by their names: \`isBinomial(taxon)\`. A plan carries those that it uses under \`formulas\`, as they were when it was saved, so that it means the same for ever; changing one shows first which plans it reaches and which of their records would end otherwise. They are written out before the formula is compiled, and may use one another, in no circle.

Formulas are compiled; what is beyond the compiler is taken by the language's library, record by record, with the same result.

## Functions

| function | gives | examples |
|---|---|---|
${rows.join("\n")}
`;
}

/** The page about types, from the parts themselves. */
export function typesPage(): string {
  const rows = TYPE_IDS.map((id) => {
    const part = typePart(id);
    const options = Object.keys(part.options).map(code).join(", ");
    const columns = [...new Set(part.examples.map((e) => part.sql(e.options)))].map(code).join(", ");
    const examples = part.examples
      .slice(0, 4)
      .map((e) => `${json(e.from)} → ${e.to === null ? "not one" : json(e.to)}`)
      .join("; ");
    return `| ${code(id)} | ${part.about} | ${options} | ${columns} | ${examples} |`;
  });
  return `# Types

Each field of a contract has a type. A value that does not fit is a problem, and is never cut, rounded or guessed; what fits is written as the target's column wants it.

| \`type\` | what it is | options | column | examples |
|---|---|---|---|---|
${rows.join("\n")}

Formats of dates and times are in the letters of Unicode TR 35: \`yyyy MM dd HH mm ss SSS XXX XX\`, \`MMM\` and \`MMMM\` for English names of months, \`h\` with \`a\` for hours of half a day. What people write otherwise is made such by the step \`written-date\`.
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

/** The page about checks, those between records from the parts themselves. */
export function checksPage(): string {
  const cells = FIELD_CHECKS.map((id) => {
    const part = checkPart(id);
    const options = Object.keys(part.options).map(code).join(", ");
    const examples = part.examples.map(
      ({ field, pass, fail }) => `${part.title(field)}: ${json(pass.at(-1))}, and not ${json(fail[0])}`,
    );
    return `| ${code(id)} | ${part.about} | ${options} | ${examples.join("; ")} |`;
  });
  const rows = BETWEEN.map((part) => {
    const options = Object.keys(part.options).map(code).join(", ");
    const [e] = part.examples;
    const fails = Object.entries(e!.fails).map(
      ([i, detail]) => `${json(e!.records[Number(i)])} fails${detail && `: ${detail}`}`,
    );
    return `| ${code(part.id)} | ${part.about} | ${options} | ${code(part.onFailure)} | ${json(e!.options)}: ${fails.join("; ")} |`;
  });
  const gates = GATE_PARTS.map((part) => {
    const options = Object.keys(part.options).map(code).join(", ");
    return `| ${code(part.id)} | ${part.about} | ${options} | ${part.examples.find((e) => !e.passed)!.says} |`;
  });
  return `# Checks

A record carries all problems that checks find in it. Each check has a policy: \`hold\` keeps the record back in the quarantine, \`note\` only tells of it, \`stop\` stops the load before the target is touched.

- **Of a field**: below; what they ask for stands with the field in the contract. A cell that is empty passes all of them but \`required\`.
- **By formula**: \`name\`, \`that\` (a [formula](formulas.md) that is true for a good record), \`in\` for the fields whose cells it is about, one by one as \`it\`, and \`message\` for words of its own, \`{field}\` standing for a value of the record.
- **Between records**: below. They look at every record of the delivery that can be read and was not left out, by the values that are filled and of their type, and are decided at the end of the delivery, in memory that does not grow with it. \`check: "unique"\` with \`in\` says that the values of several fields together are given once.

## Of a field

| check | what must be so | options of the field | examples |
|---|---|---|---|
${cells.join("\n")}

## Between records

| \`check\` | what must be so | options | policy unless said | example |
|---|---|---|---|---|
${rows.join("\n")}

Each of them may have a \`name\` and a \`message\`. When a held record is released, whether its parent is there and its range is free is asked of the target; gaps and sums are shown by a whole delivery alone, and who releases a record has looked at them.

## Gates

A gate is a limit past which a load stops before the target is touched; a person may let it through, with a reason.

| \`limit\` | what it does | options | what it says when it closes |
|---|---|---|---|
${gates.join("\n")}
`;
}

/** The page about matching, its comparators from the parts themselves. */
export function matchingPage(): string {
  const rows = COMPARATOR_IDS.map((id) => {
    const part = comparatorPart(id);
    const options = Object.keys(part.options).map(code).join(", ");
    const examples = part.examples.slice(0, 3).map((e) => `${json(e.a)}, ${json(e.b)}: ${e.likeness}`);
    const levels = ["1", ...part.levels.map((l) => `${l}`), "less"].join(", ");
    return `| ${code(id)} | ${part.about}${part.source ? ` (${part.source}.)` : ""} | ${options} | ${levels} | ${examples.join("; ")} |`;
  });
  return `# Matching

The section \`match\` of a plan says how records that are one thing in the world are found. Records that passed all checks are compared with the others of their delivery, with the target's rows, with the entries of a reference list (\`list\`: its \`name\`, and by column of it the field that it is, where not the one of its name), or with several of these (\`against\`). An entry is cleansed for the comparison as a record is, and never changed: it gives its values to what is kept, and holds together records that are the same as it.

- \`fields\` says what is compared and how: a field, or several put together with a space, \`by\` a comparator. Values are made plain for the comparison only; the record itself is untouched. A missing value speaks neither for nor against.
- **Candidates**: not all are compared with all. Runs of three letters, sounds, forms of given names, parts of dates and codes, and pairs of what an error or two may not change lead from a record to those that share the rarest of them with it.
- **Score**: each field's likeness falls on a level, and each level gives bits of evidence (Fellegi and Sunter, 1969). Equal values that are rare say more than common ones. \`weights\` of a field sets the bits of its levels by hand. The sum is shown from 0 to 100: 50 is as likely as not, and each further 4 bits go from odds of 1 to 16; 80 is 256 to 1.
- Two values that stand in each other's fields, such as given and family name, count as if they stood in their own.
- **Kinds of pairs**: what pairs are like is estimated from the data itself, by expectation-maximisation (Dempster, Laird and Rubin, 1977), from pools of candidates, of pairs of equal values and of pairs taken at random, each weighted by how it was drawn (Veach and Guibas, 1995). There are pairs that are the *same*; *moved* ones, which are the same and have another address; *related* ones, which only belong together, as people of one household or branches of one firm do; and the rest, in which one field may hang on another, as the state does on the town (Chow and Liu, 1968). So neighbours are not taken for the same because three columns say where they live; a column that comes twice, one that is the same for all, and one of noise change nothing. \`shared\` of a field says that related records may have it in common and moved ones have not: addresses, places and coordinates unless it is said. Several beginnings are tried, and the data chooses.
- **Rivals**: where a side has each thing once, the candidates of one record are weighed against each other: the odds of each over one plus those of its rivals.
- **How many are wrong is counted**: records are compared with the others of their own side as well. What belongs together, or is alike by chance, is as frequent there as across; the same is only across (two populations: Hui and Walter, 1980). What would be joined wrongly within each side says how much is joined wrongly across: the more is joined rightly the less, as whoever is joined has no look-alike any more; and no more can be right than there are records on either side. Beside it stands between which shares that is with 95 %: where little is joined few look-alikes were seen, so that it may be more or less (the count is negative binomial, Greenwood and Yule, 1920). Where both sides have repeats of their own, or one file is compared with itself, nothing can be counted so, and the report gives no figure until 20 pairs above the limit are decided: of two files of one kind the model has said 0.985 of both, and was right of one and wrong by 0.4 of the other. By three fields or fewer only what is all but beyond doubt is joined there, and repeats inside a side count as wrong.
- \`limits\`: from \`same\` on two records are one; from \`ask\` on a person is asked, and the record is \`waiting\`; \`lead\` demands how far the best candidate is ahead of the next. **Limits that are left out follow from the data**: so that no more than 5 in 1,000 of what is joined is wrong, or up to 20 where that would leave a tenth undone (the report says so); with \`precision\` no more than is said. Below odds of five to one nothing is joined. A person is asked where there are more pairs than look-alikes account for.
- **Where it can't be told nothing is joined by itself**: too few records; no more pairs across than within; in one file, same pairs that differ too often in fields of their own by which things are told apart, or that are nearly alike in a field that tells things apart and hardly ever equal (who slips writes more right than wrong: what is always one off is the next number, the next flat of a house, the next part of a series); between two files too, same pairs of which most have other numbers in such a field, or days more than a week apart, as this year’s events have that come after last year’s: each side has one of them, so that no count tells them (once people have decided 20 of them and 18 are the same, they are joined); more than four pairs that only belong together for each that is the same, or so many that look like the same that one in fifty of what would be joined may be of them; a field left out as noise where each record would have more than one that is the same, as the titles of an album’s songs; two sides with about as many same pairs for each record inside as across; fewer than one record in 250 with a pair, which may be chance. The report says which it is, names the fields and says what would help; the likeliest pairs are ranked and asked about.
- **Decisions teach**: pairs that people have decided, up to 1,000 of the feed, are labels in the next estimate (Nigam and others, 2000), and speak with the count for the limits. How many of them are the same from the limit on is shown with its interval (Wilson, 1927). Pairs to be decided come with the most alike first, or with those first that teach most, which are the ones nearest to even odds (Lewis and Gale, 1994).
- **Clusters**: same pairs are joined from the strongest on, and only where all pairs between two clusters speak for it on the average, so a chain of weak links does not join strangers.
- **Kept record**: \`keep\` says by field, or \`*\` for the others, whose value is kept: ${SURVIVORSHIP_PARTS.map((p) => `${code(p.id)} (${p.words})`).join(", ")}. \`recent\` names the field by whose value a record is the more recent; \`trust\` names a field and its values, the most trusted first; \`rank\` is a [formula](formulas.md), and the record for which it gives most is ranked highest. An empty value is never kept where another has one. \`score_in\` and \`lead_in\` name fields of what is kept that get the least score by which its records were joined, and how far that was ahead of the next candidate. \`keep\` left out, the most complete record's values are kept, or the most recent one's where \`recent\` is given.
- **Decisions** of people are kept by the content of the two records, stand above the score, and hold until one of the two changes.
- **Released records** are compared by the model of their load with what is there by then, and with one another; one that may be somebody who is there waits for a decision, and is never joined by itself.

From a shell: \`sieve match A.csv --plan PLAN.json [--against B.csv] [--list name=list.csv] --pairs pairs.csv --clusters clusters.csv --kept kept.csv --report report.json\`. A plan without the section gets one proposed from its fields, each with its reason: names of fields are understood in eighteen languages, numbers that identify are compared as codes, amounts after all else, and the lines and parts of one address as one. In \`pairs.csv\` stand the lines of both records, score, band, and for each compared field its bits of evidence. Where the plan compares with a reference list, its entries are given by \`--list\`; an entry stands there with the list's name for its file and its key for its line.

## Comparators

Levels are the likenesses from which on a pair is of the first, second, … level.

| \`by\` | what it does | options | levels | examples |
|---|---|---|---|---|
${rows.join("\n")}
`;
}
