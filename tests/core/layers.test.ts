import { spawnSync } from "node:child_process";
import { cpSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { cruise, type ICruiseOptions, type IFlattenedRuleSet } from "dependency-cruiser";
import extractTSConfig from "dependency-cruiser/config-utl/extract-ts-config";
import { afterAll, describe, expect, it } from "vitest";
import rules from "../../.dependency-cruiser.mjs";

const own = fileURLToPath(new URL("../..", import.meta.url));

/** What lint holds, seen to be held: each rule is broken on purpose, in a small tree of its own. */

const roots: string[] = [];
afterAll(() => roots.forEach((r) => rmSync(r, { recursive: true })));

/** The names of the rules that these files break. */
async function broken(files: Record<string, string>): Promise<string[]> {
  const root = mkdtempSync(join(tmpdir(), "layers-"));
  roots.push(root);
  const config = { compilerOptions: { baseUrl: ".", paths: { "@/*": ["./src/*"] }, allowImportingTsExtensions: true } };
  const written: Record<string, string> = { ...files, "tsconfig.json": JSON.stringify(config) };
  for (const [name, text] of Object.entries(written)) {
    mkdirSync(dirname(join(root, name)), { recursive: true });
    writeFileSync(join(root, name), text);
  }
  const { forbidden, options } = rules as { forbidden: IFlattenedRuleSet["forbidden"]; options: ICruiseOptions };
  const { output } = await cruise(
    ["src"],
    {
      ...options,
      baseDir: root,
      ruleSet: { forbidden: forbidden! },
      validate: true,
      tsConfig: { fileName: join(root, "tsconfig.json") },
    },
    {},
    { tsConfig: extractTSConfig(join(root, "tsconfig.json")) },
  );
  if (typeof output === "string") throw new Error(output);
  return [...new Set(output.summary.violations.map((v) => v.rule.name))].sort();
}

const thing = "export const thing = 1;\nexport type Thing = number;\n";

describe("an import is refused", () => {
  it.each([
    ["of a later room", "no", "src/core/kernel/a.ts", "../type/b.ts", "core-kernel-comes-first"],
    ["of a later room, by @/", "no", "src/core/read/a.ts", "@/core/course/b.ts", "core-read-comes-first"],
    ["of a type of a later room", "type", "src/core/gate/a.ts", "@/core/plan/schema.ts", "core-gate-comes-first"],
    ["of the store by the core", "no", "src/core/plan/a.ts", "@/store/b.ts", "core-is-below-all"],
    ["of a file of Node's by the core", "no", "src/core/plan/a.ts", "node:fs", "core-is-pure"],
    ["of the engine by the store", "no", "src/store/a.ts", "../engine/b.ts", "store-knows-nothing-above"],
    ["of a type of the engine by the store", "type", "src/store/a.ts", "@/engine/b.ts", "store-knows-nothing-above"],
    ["of a screen by the engine", "no", "src/engine/a.ts", "@/ui/b.ts", "engine-knows-nothing-above"],
    ["of a page by a screen", "no", "src/ui/a.ts", "../app/b.ts", "ui-knows-nothing-above"],
    ["of the engine's code by a screen", "no", "src/ui/a.ts", "@/engine/b.ts", "ui-asks-the-api"],
    ["by a type that parts share", "no", "src/core/plan/types.ts", "../plan/b.ts", "plan-leaves"],
    ["of a folder that has no place", "no", "src/core/plan/a.ts", "../elsewhere/b.ts", "core-rooms-are-known"],
  ])("%s", async (_, kind, from, to, rule) => {
    const target = to.startsWith("@/") ? `src/${to.slice(2)}` : join(dirname(from), to);
    const files = {
      [from]: `import ${kind === "type" ? "type { Thing }" : "{ thing }"} from "${to}";\nexport ${kind === "type" ? "type Own = Thing" : "const own = thing"};\n`,
      ...(to.startsWith("node:") ? {} : { [target]: thing }),
    };
    expect(await broken(files)).toContain(rule);
  });

  it("in a circle, if only of types", async () => {
    expect(
      await broken({
        "src/core/plan/a.ts": 'import type { B } from "./b.ts";\nexport type A = B | null;\n',
        "src/core/plan/b.ts": 'import type { A } from "./a.ts";\nexport type B = A[];\n',
      }),
    ).toEqual(["no-circles"]);
  });

  it("of the database's driver by the core", async () => {
    expect(
      await broken({
        "src/core/plan/a.ts": 'import pg from "pg";\nexport const own = pg;\n',
        "node_modules/pg/package.json": JSON.stringify({ name: "pg", version: "1.0.0", main: "index.js" }),
        "node_modules/pg/index.js": "module.exports = {};\n",
      }),
    ).toContain("core-has-no-database-and-no-screens");
  });

  it("of links that ask for pages nobody goes to", async () => {
    const link = 'import { Link } from "next/link";\nexport const own = Link;\n';
    const next = {
      "node_modules/next/package.json": JSON.stringify({ name: "next", version: "1.0.0", main: "index.js" }),
      "node_modules/next/link.js": "exports.Link = 1;\n",
    };
    expect(await broken({ "src/ui/a.ts": link, ...next })).toContain("links-are-ours");
    expect(await broken({ "src/ui/kit/link.tsx": link, ...next })).not.toContain("links-are-ours");
  });
});

it("what is as it should be is not refused", async () => {
  expect(
    await broken({
      "src/core/kernel/a.ts": thing,
      "src/core/plan/types.ts": thing,
      "src/core/gate/b.ts":
        'import { thing } from "../kernel/a.ts";\nimport type { Thing } from "../plan/types.ts";\nexport const own: Thing = thing;\n',
      "src/store/c.ts":
        'import { own } from "@/core/gate/b.ts";\nexport const stored = own;\nexport type Stored = number;\n',
      "src/ui/d.ts": 'import type { Stored } from "@/store/c.ts";\nexport type Shown = Stored;\n',
      "src/app/e.ts":
        'import type { Shown } from "@/ui/d.ts";\nimport { stored } from "@/store/c.ts";\nexport const page: Shown = stored;\n',
    }),
  ).toEqual([]);
});

describe("in the core lint refuses", () => {
  /** The rules that a file of the core breaks. */
  function refused(text: string): string[] {
    const root = mkdtempSync(join(tmpdir(), "lint-"));
    roots.push(root);
    for (const held of [".oxlintrc.json", "scripts/lint"])
      cpSync(join(own, held), join(root, held), { recursive: true });
    mkdirSync(join(root, "src/core/plan"), { recursive: true });
    writeFileSync(join(root, "src/core/plan/planted.ts"), `${text}\n`);
    const lint = join(own, "node_modules/.bin/oxlint");
    const { stdout } = spawnSync(lint, ["--format=json", "src"], { cwd: root, encoding: "utf8" });
    const { diagnostics } = JSON.parse(stdout) as { diagnostics: { code: string }[] };
    return diagnostics.map((d) => d.code);
  }
  it.each([
    ["the clock", "export const t = Date.now();", "eslint(no-restricted-properties)"],
    ["today", "export const t = new Date();", "pure(no-clock)"],
    ["today as a text", "export const t = Date();", "pure(no-clock)"],
    ["the clock of the process", "export const t = performance.now();", "eslint(no-restricted-globals)"],
    ["randomness", "export const t = Math.random();", "eslint(no-restricted-properties)"],
    ["random identifiers", "export const t = crypto.randomUUID();", "eslint(no-restricted-globals)"],
    ["the environment", "export const t = process.env;", "eslint(no-restricted-globals)"],
    ["the network", 'export const t = fetch("x");', "eslint(no-restricted-globals)"],
  ])("%s", (_, text, rule) => {
    expect(refused(text)).toContain(rule);
  });
  it("and not a day that is given", () => {
    expect(refused('export const t = new Date("2026-01-01");')).toEqual([]);
  });
});
