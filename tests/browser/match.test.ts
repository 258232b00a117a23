import type { Page } from "puppeteer-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { csvRow } from "@/core/write/csv.ts";
import { withNamed } from "@/core/plan/edit.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { formulaVersions, namedFormulas } from "@/store/formulas.ts";
import { countPairs } from "@/store/matches.ts";
import { PERSON_FIELDS, peopleWithRepeats } from "../../demo/people.ts";
import { PEOPLE_COMPARED } from "../support/people.ts";
import { shareSystem } from "../support/shared.ts";
import { loadNow, newFeed, rows, type System } from "../support/system.ts";
import { press, shows, textOf, type Web } from "../support/web.ts";

let system: System;
let web: Web;
let load: number;
let inserted: number;
const errors: string[] = [];

beforeAll(async () => {
  ({ system, web } = await shareSystem(errors));
  const text = (name: string): object => ({ name, type: "text", length: 60 });
  await newFeed(
    system.db,
    "people",
    [
      { name: "no", type: "integer" },
      text("given"),
      text("family"),
      { name: "born", type: "date" },
      text("town"),
      text("phone"),
    ],
    { key: ["no"] },
    {
      match: {
        against: ["delivery", "target"],
        fields: PEOPLE_COMPARED,
        limits: { same: 85, ask: 35 },
      },
    },
  );
  const { records } = peopleWithRepeats(21, 900);
  const done = await loadNow(
    system.db,
    "people",
    csvRow(["no", ...PERSON_FIELDS]) +
      records.map((p, i) => csvRow([String(i + 1), ...PERSON_FIELDS.map((f) => p[f])])).join(""),
  );
  load = done.id;
  inserted = done.report!.balance.outcomes.inserted;
});
afterAll(async () => {
  await web?.end();
});

const open = async (): Promise<number> => (await countPairs(system.db, { load })).open;

describe("pairs of records that may be one", () => {
  it("are counted on the load, beside what was merged, and lead to where they are decided", async () => {
    const page = await web.open(`/loads/${load}`);
    await shows(page, "merged: one with another record");
    await press(page, "Decide");
    await page.waitForFunction(() => location.pathname === "/matches");
    await shows(page, `${await open()} pairs to decide`);
    expect(await textOf(page, "main")).toContain("What would be kept");
  });

  it("are decided by key, one after the other, and taken back", async () => {
    const page = await web.open(`/matches?load=${load}`);
    const before = await open();
    await page.bringToFront();
    await page.keyboard.press("d");
    await shows(page, "1 pair: different");
    await page.keyboard.press("s");
    await shows(page, "1 pair: same");
    expect(await open()).toBeLessThanOrEqual(before - 2);
    await page.keyboard.press("u");
    await page.waitForFunction(() => document.querySelector("[role=status]")?.textContent?.includes("different"));
    await page.keyboard.press("u");
    await page.waitForFunction(() => document.querySelector("[role=status]") === null);
    await shows(page, `${before} pairs to decide`);
    expect(await open()).toBe(before);
    expect(await rows(system.db, "people")).toHaveLength(inserted);
  });

  it("show what was made of those that are one", async () => {
    const page = await web.open(`/loads/${load}/clusters`);
    await shows(page, "records that are one");
    expect(await page.$$eval("tbody", (all) => all.length)).toBeGreaterThan(50);
  });
});

describe("the stage Match of a plan", () => {
  const matchStage = async (): Promise<Page> => {
    const page = await web.open("/feeds/people/plan");
    await page.evaluate(() => {
      const stage = [...document.querySelectorAll<HTMLElement>("nav[aria-label='Stages of the plan'] button")];
      stage.find((b) => b.innerText.startsWith("Match"))!.click();
    });
    return page;
  };

  it("draws the scores, and moving a limit says at once what changes", async () => {
    const page = await matchStage();
    await shows(page, "Just below 85: asked about");
    await page.focus("input[aria-label='Limit: same from']");
    for (let i = 0; i < 10; i++) await page.keyboard.press("ArrowLeft");
    await shows(page, "Just above 75: the same");
    await page.waitForFunction(() => !document.querySelector<HTMLButtonElement>(".btn-primary")!.disabled);
    await press(page, "Save as version 2");
    await page.type("main form input", "fewer questions");
    await press(page, "Save version 2");
    await shows(page, "version 2: fewer questions");
    expect((await planInForce(system.db, "people")).document.match!.limits).toEqual({ same: 75, ask: 35 });
  });

  it("says which fields records may share without being one", async () => {
    const page = await matchStage();
    await shows(page, "What is compared, 5");
    const shared = () =>
      page.$$eval("table tr", (list) =>
        list.flatMap((tr) => (/may be shared/.test(tr.innerText) ? [tr.querySelector("td")!.innerText.trim()] : [])),
      );
    const toggle = async (row: number): Promise<void> => {
      await page.evaluate((n) => {
        const buttons = [...document.querySelectorAll<HTMLElement>("main button")];
        buttons.filter((b) => b.innerText === "settings")[n]!.click();
      }, row);
      await shows(page, "records that are not the same may share it");
      await page.locator("::-p-xpath(//label[contains(., 'may share it')]/input)").click();
      await press(page, "close");
    };
    expect(await shared()).toEqual([expect.stringMatching(/^town/)]);
    await toggle(4);
    await page.waitForFunction(() => document.body.innerText.match(/may be shared/g)?.length === 2);
    await toggle(3);
    await page.waitForFunction(() => document.body.innerText.match(/may be shared/g)?.length === 1);
    expect(await shared()).toEqual([expect.stringMatching(/^phone/)]);
    await press(page, "Save as version 3");
    await page.type("main form input", "phones are shared, towns are not");
    await press(page, "Save version 3");
    await shows(page, "version 3: phones are shared");
    const { fields } = (await planInForce(system.db, "people")).document.match!;
    expect(fields.map((f) => f.shared)).toEqual([undefined, undefined, undefined, false, true]);
  });
});

describe("a named formula", () => {
  it("is written with examples, used in a plan, and says what a change of it reaches", async () => {
    const { db } = system;
    const page = await web.open("/formulas");
    await page.type("#formula-name", "isLong");
    await press(page, "another example");
    await page.click("[aria-label='The formula']");
    await page.keyboard.down("Control");
    await page.keyboard.press("a");
    await page.keyboard.up("Control");
    await page.keyboard.type("value.size() > 3");
    await shows(page, "gives true or false");
    await page.click("[aria-label='What example 1 must give']", { count: 3 });
    await page.keyboard.type("false");
    await page.keyboard.press("Tab");
    await shows(page, "holds");
    await page.type("main form input", "for names");
    await press(page, "Save version 1");
    await page.waitForFunction(() => location.search === "?name=isLong");
    expect((await formulaVersions(db, "isLong"))[0]!.document.body).toBe("value.size() > 3");

    const plan = (await planInForce(db, "people")).document;
    const check = [{ name: "long", that: "isLong(family)", on_failure: "note" as const }];
    await savePlan(db, "people", withNamed({ ...plan, check }, await namedFormulas(db)), "asks for long names", "test");
    const again = await web.open("/formulas?name=isLong");
    await again.click("[aria-label='The formula']");
    await again.keyboard.press("End");
    await again.keyboard.type("0");
    await press(again, "See what this changes");
    await shows(again, "Check: long");
    await shows(again, "Every record ends as it does by the version in force.");
  });
});

it("no page said that something was wrong", () => {
  expect(errors).toEqual([]);
});
