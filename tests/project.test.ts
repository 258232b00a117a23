import { execFileSync } from "node:child_process";
import { existsSync, readFileSync, readdirSync } from "node:fs";
import { builtinModules } from "node:module";
import { describe, expect, it } from "vitest";

interface Lock {
  packages: Record<string, { resolved?: string; optionalDependencies?: Record<string, string> }>;
}
const lock = JSON.parse(readFileSync("package-lock.json", "utf8")) as Lock;

describe("the project", () => {
  it("has a lock file that names no host and has every optional package", () => {
    const names = Object.keys(lock.packages);
    for (const [name, entry] of Object.entries(lock.packages)) {
      expect(entry.resolved, name).toBeUndefined();
      for (const optional of Object.keys(entry.optionalDependencies ?? {})) {
        expect(
          names.some((n) => n.endsWith(`node_modules/${optional}`)),
          `${optional} of ${name}`,
        ).toBe(true);
      }
    }
  });

  it("depends on what it imports, and on nothing else", () => {
    const own = JSON.parse(readFileSync("package.json", "utf8")) as Record<string, Record<string, string>>;
    const depends = Object.keys({ ...own["dependencies"], ...own["devDependencies"] });
    const files = ["src", "scripts", "demo", "tests"].flatMap((folder) =>
      readdirSync(folder, { recursive: true, encoding: "utf8" })
        .filter((f) => /\.(css|m?tsx?|mjs)$/.test(f))
        .map((f) => `${folder}/${f}`),
    );
    const settings = readdirSync(".").filter((f) => /\.(m?ts|mjs)$/.test(f));
    const text = [...files, ...settings].map((f) => readFileSync(f, "utf8")).join("\n");
    // The compilers, the mutation tester and what measures coverage are programs that are run, and types are there for what they are types of.
    const run = [
      "typescript",
      "typescript-native",
      "@stryker-mutator/core",
      "@stryker-mutator/vitest-runner",
      "@vitest/coverage-v8",
    ];
    const unused = depends.filter((d) => {
      const of = d.replace(/^@types\//, "");
      return !run.includes(d) && of !== "node" && !text.includes(`"${of}"`) && !text.includes(`"${of}/`);
    });
    expect(unused).toEqual([]);
    // A package that only another one brings along goes with that one.
    const imported = [...text.matchAll(/^import [^"]*?"((?:@[a-z][\w-]*\/)?[a-z][\w.-]*)[\w./-]*";$/gm)].map(
      (m) => m[1]!,
    );
    // The mutation tester is made of these, at its own version.
    const ofTester = ["@stryker-mutator/api", "@stryker-mutator/instrumenter", "typed-inject"];
    const known = new Set([...depends, ...ofTester, ...builtinModules]);
    expect(imported.length).toBeGreaterThan(500);
    expect([...new Set(imported)].filter((name) => !known.has(name))).toEqual([]);
  });

  it("has every file and folder that its documents speak of", () => {
    const folders = "core|engine|store|ui|app|routes|cli|tests|scripts|demo|docs";
    const spoken = ["docs/glossary.md", "docs/architecture.md", "CONTRIBUTING.md"].flatMap((document) =>
      [...readFileSync(document, "utf8").matchAll(new RegExp(`\`((?:${folders})/[\\w./-]+)\``, "g"))].map(
        (m) => `${document}: ${m[1]!}`,
      ),
    );
    expect(spoken.length).toBeGreaterThan(80);
    const is = (path: string): boolean => existsSync(path) || existsSync(`src/${path}`);
    expect(spoken.filter((s) => !is(s.replace(/^.*?: /, "")))).toEqual([]);
  });

  it("links every picture from the README, and has the pictures it links", () => {
    const readme = readFileSync("README.md", "utf8");
    const linked = [...readme.matchAll(/docs\/screenshots\/([\w-]+\.png)/g)].map((m) => m[1]!);
    for (const file of readdirSync("docs/screenshots")) expect(linked).toContain(file);
    for (const file of linked) expect(existsSync(`docs/screenshots/${file}`), file).toBe(true);
  });

  it("defines every colour and length that its styles and screens speak of", () => {
    const css = readFileSync("src/app/globals.css", "utf8");
    const files = readdirSync("src", { recursive: true, encoding: "utf8" }).filter((f) => /\.(css|tsx?)$/.test(f));
    const used = files.flatMap((f) =>
      [...readFileSync(`src/${f}`, "utf8").matchAll(/var\((--[\w-]+)/g)].map((m) => [m[1]!, f] as const),
    );
    expect(used.length).toBeGreaterThan(50);
    expect(used.filter(([name]) => !css.includes(`${name}:`))).toEqual([]);
  });

  it("ends with 2 and a message for a command line that can't be understood, and with 1 at a gate", () => {
    const run = (...args: string[]): { code: number; out: string; err: string } => {
      try {
        return {
          code: 0,
          out: execFileSync(process.execPath, ["scripts/sieve.mjs", ...args], { encoding: "utf8", stdio: "pipe" }),
          err: "",
        };
      } catch (error) {
        const e = error as { status: number; stdout: string; stderr: string };
        return { code: e.status, out: e.stdout, err: e.stderr };
      }
    };
    expect(run("dance").code).toBe(2);
    expect(run("sift", "x.csv").code).toBe(2);
    const missing = run("read", "no-such-file.csv");
    expect(missing.code).toBe(2);
    expect(missing.err).toBe("error: There is no file no-such-file.csv.\nhint: Check the path.\n");
    const help = run("--help");
    expect(help.code).toBe(0);
    // Each command stands under what it is about.
    expect(help.out.slice(help.out.indexOf("\nCommands:")).match(/^ {2}[a-z][\w-]*/gm)).toEqual(["  help"]);
  });
});
