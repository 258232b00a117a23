import { describe, expect, it } from "vitest";
import { AFTER_OUTCOMES, afterSchema, afterWords, noticeText, outcomeOf } from "@/core/plan/after.ts";
import { renameField } from "@/core/plan/edit.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { bodyOf, signatureOf } from "@/engine/after/call.ts";
import type { AfterLoad } from "@/store/after.ts";
import type { Load } from "@/store/loads.ts";
import { afterState } from "@/ui/loads/after-words.ts";
import { AFTER_KINDS, NEW_QUERY, newAction, withOutcome } from "@/ui/plan/load/after-actions.ts";

const plan = (after: unknown[], more: object = {}) =>
  parsePlan({
    ...{ format: "good-sieve/plan@1", feed: "f", contract: { fields: [{ name: "day", type: "date" }] } },
    ...{ load: { target: "t" }, after, ...more },
  });

describe("what is done after a load", () => {
  it.each(AFTER_KINDS)("%s is begun with what a plan can have", (kind) => {
    const action = newAction(kind, "f");
    expect(plan([action]).after).toEqual([action]);
    expect(action.on).toEqual(["loaded", "loaded with held"]);
    expect(afterWords(action)).not.toBe("");
  });

  it.each([
    ["another scheme", { do: "call", url: "file:///etc/passwd" }],
    ["a folder above", { do: "file", folder: "a/../../b" }],
    ["a folder from the root", { do: "file", folder: "/a" }],
    ["a format that is not written", { do: "file", folder: "a", format: "pdf" }],
    ["a delimiter of what has none", { do: "file", folder: "a", format: "parquet", delimiter: ";" }],
    ["a root element of what has none", { do: "file", folder: "a", format: "csv", root: "lots" }],
    ["an element that can't be called so", { do: "file", folder: "a", format: "xml", record: "a b" }],
    ["an encoding that there is not", { do: "file", folder: "a", encoding: "utf-9" }],
    ["a partition by no field", { do: "file", folder: "a", partition: "month" }],
    ["a name with a part that is none", { do: "file", folder: "a", name: "{who}" }],
    [
      "of a query and of records",
      { do: "file", folder: "a", what: "held", query: { connection: "c", sql: "select 1" } },
    ],
    ["a query of no connection", { do: "put", url: "http://a/", query: { sql: "select 1" } }],
    ["its own feed", { do: "feed", feed: "f" }],
    ["a notice of what nobody knows", { do: "notice", text: "{who} has sent" }],
    ["a notice of nothing", { do: "notice", text: "" }],
    ["no end", { do: "call", url: "http://a/", on: [] }],
    ["another kind", { do: "mail", to: "a" }],
  ])("is not %s", (_, action) => {
    expect(() => plan([action])).toThrow("The plan has");
  });

  it("is a notice that speaks of the load and of what it was told", () => {
    const about = { feed: "f", load: "7", sender: "Fen", day: "2026-06-01", outcome: "stopped", read: "9", held: "2" };
    expect(noticeText("{sender}: {held} of {read} in {load} ({since}) {}", { ...about, since: "May", "": "-" })).toBe(
      "Fen: 2 of 9 in 7 (May) -",
    );
    expect(() => noticeText("{constructor}", about)).toThrow("A notice knows no {constructor}.");
    const parameters = [{ name: "since", type: "date", default: "2026-01-01" }];
    const notice = { do: "notice", text: "since {since}" };
    expect(plan([notice], { parameters }).after).toMatchObject([notice]);
    expect(() => plan([notice])).toThrow("The plan has");
  });

  it("is of the end that a load came to", () => {
    expect(outcomeOf("loaded", 0)).toBe("loaded");
    expect(outcomeOf("loaded", 3)).toBe("loaded with held");
    expect(outcomeOf("stopped", 3)).toBe("stopped");
    expect(withOutcome(["loaded"], "failed", true)).toEqual(["loaded", "failed"]);
    expect(withOutcome(AFTER_OUTCOMES, "stopped", false)).toEqual(["loaded", "loaded with held", "failed"]);
  });

  it("knows the day as a folder", () => {
    expect(plan([{ do: "file", folder: "a b/c", partition: "day:month" }]).after).toHaveLength(1);
    expect(afterWords(afterSchema.parse({ do: "file", folder: "a b/c" }))).toBe("writes files into a b/c");
    const held = afterSchema.parse({ do: "put", url: "https://a.example/x", what: "held" });
    expect(afterWords(held)).toBe("puts files of what is held to https://a.example/x");
  });
});

describe("files of a query", () => {
  const query = { connection: "warehouse", sql: "select 1 as a" };

  it("are begun with a query that a plan can have", () => {
    const action = { ...newAction("file", "f"), query: NEW_QUERY };
    expect(plan([action]).after).toEqual([action]);
  });

  it("have folders by its columns, which no field of the plan is about", () => {
    const action = { do: "file", folder: "sums", partition: "day:month,partner", query };
    const made = plan([action]);
    expect(afterWords(made.after![0]!)).toBe("writes files of a query on warehouse into sums");
    expect(afterWords(afterSchema.parse({ do: "put", url: "https://a.example/x", query }))).toBe(
      "puts files of a query on warehouse to https://a.example/x",
    );
    expect(renameField(made, "day", "date").after).toEqual(made.after);
    expect(usedIn(made, "day").map((u) => u.says)).not.toContain("folders of files after a load");
    const own = plan([{ do: "file", folder: "a", partition: "day:month" }]);
    expect(renameField(own, "day", "date").after).toMatchObject([{ partition: "date:month" }]);
    expect(usedIn(own, "day").map((u) => u.says)).toContain("folders of files after a load");
  });
});

describe("what a receiver is told", () => {
  const load = {
    read: 9,
    inserted: 5,
    held: 3,
    leftOut: 1,
    endedAt: new Date(0),
    delivery: 4,
    report: null,
    error: null,
  };

  it("has the balance by the outcomes' own names", () => {
    const body = JSON.parse(
      bodyOf({ load: 7, feed: "f", outcome: "loaded with held" }, load as unknown as Load, "Ines"),
    ) as object;
    expect(body).toMatchObject({
      ...{
        load: 7,
        feed: "f",
        outcome: "loaded with held",
        sender: "Ines",
        ended_at: "1970-01-01T00:00:00.000Z",
        read: 9,
      },
      balance: { inserted: 5, updated: 0, held: 3, "left out": 1 },
    });
  });

  it("is signed over its time and its text", () => {
    // By another program: printf '%s' 'T.body' | openssl dgst -sha256 -hmac key
    expect(signatureOf("key", "T", "body")).toBe("a9fc1fa06081ff2675f01231f9ea70dc5cdd274eac0b11c83a0b529c0255e20d");
    expect(signatureOf("key", "T2", "body")).not.toBe(signatureOf("key", "T", "body"));
  });
});

describe("how it stands", () => {
  const now = new Date("2026-11-29T12:00:00Z");
  const at = (more: object): string =>
    afterState({ attempts: 0, nextAt: now, endedAt: null, state: "waiting", ...more } as AfterLoad, now);

  it("is said in words", () => {
    expect(at({})).toBe("is to be done");
    expect(at({ attempts: 2, nextAt: new Date("2026-11-29T12:05:00Z") })).toMatch(
      /^to be tried again .*, after 2 attempts$/,
    );
    expect(at({ state: "failed", attempts: 7 })).toBe("failed after 7 attempts");
    expect(at({ state: "done", endedAt: now })).toMatch(/^done /);
  });
});
