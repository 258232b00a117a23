/** How many lines the project has, and what share of them are tests. */
import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { root } from "./lib/machine.mjs";

const files = execFileSync("git", ["ls-files", "src", "tests", "demo", "scripts"], { cwd: root, encoding: "utf8" })
  .split("\n")
  .filter((f) => /\.(ts|tsx|mjs|sql|css)$/.test(f));
const counts = new Map();
for (const file of files) {
  const part = file.startsWith("src/") ? file.split("/").slice(0, 2).join("/") : file.split("/")[0];
  const lines = readFileSync(join(root, file), "utf8").split("\n").length - 1;
  counts.set(part, (counts.get(part) ?? 0) + lines);
}
const all = [...counts.values()].reduce((n, l) => n + l, 0);
for (const [part, lines] of [...counts].sort((a, b) => b[1] - a[1])) {
  process.stdout.write(`${part.padEnd(14)}${lines.toLocaleString("en").padStart(8)}\n`);
}
process.stdout.write(
  `${"all".padEnd(14)}${all.toLocaleString("en").padStart(8)}, ${((100 * counts.get("tests")) / all).toFixed(1)} % of them tests\n`,
);
