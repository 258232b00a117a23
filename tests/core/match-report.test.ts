import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { DOUBTS, type Choice } from "@/core/match/model/choose.ts";
import { countWithin } from "@/core/match/model/measured.ts";
import { doubtsWords, limitsWords, wrongWords } from "@/core/match/model/doubts.ts";
import { type Matcher, type Pairs } from "@/core/match/match.ts";
import { limitsOf } from "@/core/match/limits.ts";
import { BINS, estimateOf, expectedAt, metricsOf, samplePairs } from "@/core/match/metrics.ts";
import { sameShare } from "@/core/match/model/model.ts";
import { bitsOf, probabilityOf, scoreOf } from "@/core/match/model/score.ts";
import { NumbersRecords, TakesNumbered } from "@/core/match/pairs/numbered.ts";
import { proposeMatch } from "@/core/match/propose.ts";
import { joinedBy, resolvePairs, type Resolution } from "@/core/match/resolve.ts";
import { withJoinedBy } from "@/core/match/survive.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { planOf } from "../support/plans.ts";
import { comparedOf, keepRules, mayBeShared, type MatchField } from "@/core/match/schema.ts";
import { MatchTable, Values } from "@/core/match/pairs/table.ts";
import { stretchesOf, whyWords } from "@/core/match/why.ts";
import type { Field } from "@/core/field/field.ts";

describe("scores", () => {
  it("go from 0 to 100 and back, 50 where both are as likely", () => {
    expect(scoreOf(0)).toBe(50);
    expect(probabilityOf(0)).toBe(0.5);
    fc.assert(
      fc.property(fc.double({ min: -40, max: 40, noNaN: true }), (bits) => {
        expect(bitsOf(scoreOf(bits))).toBeCloseTo(bits, 4);
        if (Math.abs(bits) < 1e-6) return;
        expect(scoreOf(bits) > 50).toBe(bits > 0);
        expect(probabilityOf(bits) > 0.5).toBe(bits > 0);
      }),
    );
    expect([bitsOf(0), bitsOf(100), bitsOf(-3), bitsOf(200)]).toEqual([-60, 60, -60, 60]);
  });
});

describe("what a match found", () => {
  const bits = [-6, -1, 1, 5, 9, 9, 9, 9, 20];
  const pairs: Pairs = {
    count: bits.length,
    a: Int32Array.from(bits, (_, i) => i + 1),
    b: new Int32Array(bits.length),
    bits: Float32Array.from(bits),
    shares: new Float32Array(bits.length),
  };
  const section = {
    against: ["delivery"] as const,
    fields: [{ in: ["given", "family"], by: "person" }] as MatchField[],
    limits: { same: 80, ask: 50 },
  };
  const scores = Float64Array.from(bits, scoreOf);
  const found = {
    scores,
    bands: new Uint8Array(bits.length),
    decided: new Uint8Array(bits.length),
    clusters: new Int32Array(10),
    asks: new Uint8Array(10),
    counts: { same: 5, ask: 2, different: 2 },
  };
  const metrics = metricsOf({
    section: { ...section, against: [...section.against] },
    model: { prior: 0.001, fields: [] },
    pairs,
    found,
    compared: 10,
    known: 4,
    entries: 1,
    merged: 5,
    waiting: 2,
    limits: section.limits,
    choice: {
      basis: "counted",
      same: 4,
      ask: -1,
      answered: { right: 0, all: 0 },
      doubts: [],
      differing: [],
      curve: [{ bits: -3, wrong: 0.2 }],
    } as unknown as Choice,
    estimate: { precision: 1, recall: 1, basis: "model", doubts: [] },
    samples: [],
  });

  it("counts every pair by its score, and how many of each stretch are the same", () => {
    expect(metrics.scores).toHaveLength(BINS);
    expect(metrics.scores.reduce((a, b) => a + b, 0)).toBe(bits.length);
    expect(metrics.scores[50 + 32]).toBe(4);
    expect(metrics.likely[82]).toBeCloseTo(4 * probabilityOf(9), 2);
    expect(metrics).toMatchObject({ fresh: 3, fields: ["given + family"], entries: 1, known: 4 });
  });

  it("shows a few pairs of each stretch, the first ones", () => {
    expect(samplePairs(scores)).toEqual([0, 1, 2, 3, 4, 5, 6, 8]);
    const many = new Float64Array(2000).fill(70);
    expect(samplePairs(many)).toEqual([0, 1, 2]);
  });

  it("expects less precision and more recall of a lower limit", () => {
    let before = { precision: 0, recall: 1, pairs: Infinity };
    for (const limit of [0, 30, 50, 70, 80, 90]) {
      const now = expectedAt(limit, metrics);
      expect(now.precision!).toBeGreaterThanOrEqual(before.precision);
      expect(now.recall!).toBeLessThanOrEqual(before.recall);
      expect(now.pairs).toBeLessThanOrEqual(before.pairs);
      before = { precision: now.precision!, recall: now.recall!, pairs: now.pairs };
    }
    expect(expectedAt(80, metrics).pairs).toBe(5);
  });

  it("says nothing where there is nothing to say it of", () => {
    expect(expectedAt(100, metrics)).toEqual({ precision: null, recall: null, pairs: 0 });
    expect(expectedAt(0, { scores: [], likely: [] })).toEqual({ precision: null, recall: null, pairs: 0 });
  });

  it("goes by what was counted rather than by the model, until people have decided", () => {
    const wrong = Array.from({ length: BINS }, (_, i) => (i < 80 ? 0.4 : 0.1));
    expect(expectedAt(80, { ...metrics, wrong }).precision).toBeCloseTo(0.9);
    expect(expectedAt(79, { ...metrics, wrong }).precision).toBeCloseTo(0.6);
    expect(expectedAt(80, { ...metrics, wrong }, [{ from: 80, same: 40, all: 40 }]).precision).toBeCloseTo(0.98);
    const { wrong: _, ...uncounted } = metrics;
    expect(expectedAt(80, uncounted, [{ from: 20, same: 0, all: 400 }]).precision).toBeGreaterThan(0.99);
  });

  it("knows what the data speaks for, where other limits were set by hand", () => {
    expect(metrics.limits).toEqual({ same: 80, ask: 50 });
    expect(metrics.fromData!.limits).toEqual({ same: 66.7, ask: 45.7 });
    expect(metrics.fromData!.estimate).toMatchObject({ precision: 0.8, basis: "counted" });
    expect(metrics.wrong!.every((x) => x === 0.2)).toBe(true);
  });

  it("knows what loads from before have said", () => {
    expect(estimateOf({ thought: { precision: 0.9, recall: 0.8 } })).toMatchObject({ precision: 0.9, basis: "model" });
    expect(estimateOf({})).toMatchObject({ precision: null, recall: null, basis: null });
    expect(estimateOf(metrics)).toBe(metrics.estimate);
  });

  it("goes by what people have decided, the more the more of it there is", () => {
    const model = expectedAt(80, metrics).precision!;
    const few = expectedAt(80, metrics, [{ from: 80, same: 0, all: 4 }]).precision!;
    const many = expectedAt(80, metrics, [{ from: 80, same: 0, all: 400 }]).precision!;
    expect(few).toBeLessThan(model);
    expect(many).toBeLessThan(few);
    // What was decided about other scores says nothing here.
    expect(expectedAt(80, metrics, [{ from: 20, same: 0, all: 400 }]).precision).toBeCloseTo(model, 10);
  });

  it("is said in words, with how it is known", () => {
    const counted = { precision: 0.995, recall: 0.982, basis: "counted" as const, doubts: [] };
    expect(limitsWords({ same: 63, ask: 45 }, counted)).toBe(
      "same from 63: about 5 wrong in 1,000; about 98.2\u00a0% of all that are the same, counted within the files; asked from 45",
    );
    expect(limitsWords({ same: 63, ask: 45 }, { ...counted, within: { low: 0.98, high: 1 } })).toContain(
      "about 5 wrong in 1,000 (0 to 20 with 95\u00a0%); about 98.2",
    );
    expect(limitsWords({ same: 63, ask: 45 }, { ...counted, basis: "model" })).toContain("by the model’s own word");
    const nothing = { precision: null, recall: null, basis: null, doubts: [] };
    expect(limitsWords({ same: 63, ask: 45 }, nothing)).toContain("can’t be told");
    expect(limitsWords({ same: null, ask: 45 }, nothing)).toBe("nothing is joined by itself; asked from 45");
    expect(limitsWords({ same: null, ask: 100 }, nothing)).toBe("nothing is joined, and nothing is asked about");
    expect([0.9999, 0.98, 0.85].map(wrongWords)).toEqual([
      "fewer than 1 wrong in 1,000",
      "about 20 wrong in 1,000",
      "about 15 wrong in 100",
    ]);
    const all = doubtsWords({ ...nothing, doubts: DOUBTS }, []);
    expect(new Set(all).size).toBe(DOUBTS.length);
    for (const words of all) expect(words).toMatch(/^[A-Z].*\.$/);
  });

  it("is between what so few as were counted allow", () => {
    // One look-alike's worth seen for 0.48 expected: 0.676, 0.219, 0.071 and 0.023 of the counts are 0, 1, 2 and 3.
    expect(countWithin(0.48, 1)).toEqual({ low: 0, high: 3 });
    expect(countWithin(0.02, 1)).toEqual({ low: 0, high: 0 });
    // Of many that were seen it is as of a Poisson count: 10 give 4 to 17.
    expect(countWithin(10, 1e9)).toEqual({ low: 4, high: 17 });
    expect(countWithin(10, 2).high).toBeGreaterThan(25);
    const many = countWithin(400, 1e9);
    expect([many.low, many.high].map(Math.round)).toEqual([361, 439]);
    expect(countWithin(199, 50).high).toBeCloseTo(countWithin(201, 50).high, -1);
    expect(countWithin(5_000, 2).low).toBe(0);
  });

  it("names the fields in which what is most alike still differs", () => {
    const said = (differing: number[]): string =>
      doubtsWords({ precision: null, recall: null, basis: null, doubts: ["one-file", "not-told-apart"], differing }, [
        "title",
        "publisher",
        "year",
        "pages",
        "series",
      ])[1]!;
    expect(said([1])).toContain("still differ in “publisher”, by which");
    expect(said([1, 2, 3, 4])).toContain("“publisher”, “year”, “pages” and 1 more, by which");
    expect(said([])).toContain("still differ in fields");
  });

  it("leaves limits that are set by hand, and takes the others from what was estimated", () => {
    const choice = { same: 2.4, ask: -1 } as Choice;
    expect(limitsOf({}, choice)).toEqual({ same: 60.3, ask: 45.7 });
    expect(limitsOf({ same: 80, ask: 50, lead: 4 }, choice)).toEqual({ same: 80, ask: 50, lead: 4 });
    expect(limitsOf({ same: 40 }, choice)).toEqual({ same: 40, ask: 40 });
    expect(limitsOf({}, { ...choice, same: null, ask: 3 })).toEqual({ same: null, ask: 62.8 });
  });

  it("counts moved pairs as the same", () => {
    const kind = { prior: 0.002, fields: [] };
    expect(sameShare({ prior: 0.001, fields: [] })).toBe(0.001);
    const kinds = [
      { kind: "moved" as const, ...kind },
      { kind: "related" as const, ...kind },
    ];
    expect(sameShare({ prior: 0.001, fields: [], kinds })).toBeCloseTo(0.003, 10);
  });

  it("demands a lead where one is said", () => {
    const explain = () => ({ bits: 12, levels: [], shares: [] });
    const matcher = { among: false, incoming: { length: 2 }, known: { length: 2 }, explain };
    const two: Pairs = {
      count: 3,
      a: Int32Array.from([0, 0, 1]),
      b: Int32Array.from([0, 1, 1]),
      bits: Float32Array.from([12, 11, 12]),
      shares: new Float32Array(3),
    };
    const with_ = resolvePairs(matcher as never, two, { same: 80, ask: 50, lead: 5 });
    const without = resolvePairs(matcher as never, two, { same: 80, ask: 50 });
    expect([...without.asks]).toEqual([0, 0]);
    expect(with_.counts.ask).toBeGreaterThan(0);
    expect(with_.asks[0]).toBe(1);
  });
});

describe("a match that is proposed", () => {
  const text = (name: string, more: object = {}): Field => ({ name, type: "text", ...more }) as Field;
  const proposed = (...fields: Field[]): string[] =>
    (proposeMatch(fields, ["id"])?.fields ?? []).map(
      (f) => `${f.in.join("+")} ${f.by}${f["as"] ? ` ${String(f["as"])}` : ""}${mayBeShared(f) ? " shared" : ""}`,
    );

  it("goes by types and by what names say", () => {
    expect(
      proposed(
        text("id"),
        text("full_name"),
        text("e_mail"),
        text("phone"),
        text("postcode"),
        text("address"),
        text("town"),
        text("employer"),
        text("colour"),
        { name: "born_on", type: "date" } as Field,
        { name: "country", type: "code", values: ["GB"] } as unknown as Field,
        { name: "first_year", type: "integer" } as Field,
        { name: "zip", type: "integer" } as Field,
        { name: "grams", type: "decimal", precision: 9, scale: 2 } as Field,
        { name: "copies", type: "integer" } as Field,
        { name: "checked", type: "boolean" } as Field,
      ),
    ).toEqual([
      "full_name person",
      "e_mail edit code",
      "phone edit code shared",
      "address+postcode+town address shared",
      "employer words organisation",
      "colour words",
      "born_on date",
      "country equal shared",
      "first_year number",
      "zip number shared",
      "grams number shared",
      "copies number shared",
    ]);
  });

  it("goes by a title where the name says nothing, and leaves out what is long or remarked", () => {
    expect(proposed(text("f1", { title: "Surname" }), text("f2", { length: 4000 }), text("remarks"))).toEqual([
      "f1 person",
    ]);
    expect(proposeMatch([text("id")], ["id"])).toBeNull();
    expect(proposeMatch([text("note")], [])).toBeNull();
  });

  it("takes for a person's what is called their name, and a song's for a thing's", () => {
    expect(
      proposed(
        text("name"),
        text("customer_name"),
        text("mothers_name"),
        text("song_name"),
        text("site_name"),
        text("company_name"),
        text("f_1", { title: "姓名" }),
        text("collector"),
      ),
    ).toEqual([
      "name person",
      "customer_name person",
      "mothers_name person",
      "song_name words",
      "site_name words place shared",
      "company_name words organisation",
      "f_1 person",
      "collector person",
    ]);
    expect(proposed(text("taxon"), text("family"))).toEqual(["taxon words", "family words"]);
    expect(proposed(text("given"), text("family"))).toEqual(["given person", "family person"]);
  });

  it("compares numbers that identify as codes, and after all else what is counted", () => {
    const whole = (name: string): Field => ({ name, type: "integer" }) as Field;
    expect(
      proposed(whole("soc_sec_id"), whole("isbn"), whole("ssn"), whole("amount"), whole("stock"), text("cpf")),
    ).toEqual([
      ...["soc_sec_id", "isbn", "ssn", "cpf"].map((name) => `${name} edit code`),
      ...["amount", "stock"].map((name) => `${name} number shared`),
    ]);
  });

  it("puts all lines of an address together, and another address not", () => {
    expect(
      proposed(
        { name: "street_number", type: "integer" } as Field,
        text("address_1"),
        text("address_2"),
        text("suburb"),
        text("postcode"),
        text("billing_address"),
      ),
    ).toEqual(["street_number+address_1+address_2+postcode+suburb address shared", "billing_address address shared"]);
  });

  it("puts latitude and longitude together", () => {
    const at = (name: string): Field => ({ name, type: "decimal", precision: 9, scale: 6 }) as Field;
    expect(proposed(at("lat"), at("lon"))).toEqual(["lat+lon distance shared"]);
    expect(proposed(at("latitude"))).toEqual(["latitude number shared"]);
  });

  it("compares sixteen fields at most", () => {
    expect(proposed(...Array.from({ length: 30 }, (_, i) => text(`f${i}`)))).toHaveLength(16);
  });
});

describe("what is compared and kept", () => {
  it("puts several fields together with a space, those that are there", () => {
    const fields = ["given", "middle", "family"].map((name) => ({ name }));
    const compared = comparedOf({ fields: [{ in: ["family", "given", "middle"], by: "person" }] }, fields);
    expect(compared(["Sorrel", "", "Ness"])).toEqual(["Ness Sorrel"]);
    expect(compared(["", "", ""])).toEqual([""]);
  });

  it("keeps by a field's own rule, else by that of all others, else by what suits", () => {
    const fields = [{ name: "a" }, { name: "b" }];
    const section = { against: ["delivery" as const], fields: [], limits: { same: 80, ask: 50 } };
    expect(keepRules(section, fields)).toEqual(["complete", "complete"]);
    expect(keepRules({ ...section, recent: "a" }, fields)).toEqual(["recent", "recent"]);
    expect(keepRules({ ...section, recent: "a", keep: { "*": "longest", b: "first" } }, fields)).toEqual([
      "longest",
      "first",
    ]);
  });
});

describe("why two values speak for or against", () => {
  const person: MatchField = { in: ["x"], by: "person" };
  const words: MatchField = { in: ["x"], by: "words", as: "place" };
  const date: MatchField = { in: ["x"], by: "date" };
  it.each([
    [person, "", "", 0, "empty on both sides"],
    [person, "Ness", "", 0, "empty on one side"],
    [person, "Sorrel Ness", "Sorrel Ness", 8, "equal"],
    [person, "Sorrel Ness", "Sorrel Ness", 14, "equal, and rare"],
    [person, "Sorrel Ness", "Sorrel Ness", 0.2, "equal, which others have too"],
    [person, "NESS, Sorrel", "Dr Sorrel Ness", 8, "equal but for how it is written"],
    [person, "Ness Sorrel", "Sorrel Ness", 8, "the same words in another order"],
    [person, "Sorrel P Ness", "Sorrel Ness", 5, "p is on one side only"],
    [person, "S. Ness", "Sorrel Ness", 4, "an initial against a name"],
    [person, "S. P. Ness", "Sorrel Petra Ness", 4, "initials against names"],
    [person, "Bill Tarn", "William Tarn", 6, "bill is a form of william"],
    [person, "Sorel Ness", "Sorrel Ness", 6, "one letter differs"],
    [person, "Sorrle Ness", "Sorrel Ness", 6, "two letters change places"],
    [person, "Marbroke Ness", "Marbrooc Ness", 6, "two letters differ"],
    [person, "Alder Ness", "Sorrel Ness", -6, "different"],
    [person, "K. Ness", "Sorrel Ness", -6, "different"],
    [person, "So Ness", "Sorrel Ness", 2, "alike"],
    [words, "A Mill", "Asher Mill", 2, "alike"],
    [words, "A B Mill", "Asher Brook Mill", 2, "alike in most words"],
    [person, "Alder Brook", "Sorrel Ness", -6, "different"],
    [words, "Mill Lane West", "Mill Lane East", 1, "alike"],
    [words, "Quillfen", "Quill fen", 4, "the same but for spaces"],
    [words, "Quillf", "Quillfen", 4, "abbreviated"],
    [date, "1960-02-03", "1960-03-02", 5, "day and month change places"],
    [date, "1960-02-03", "1960-02-04", 3, "one digit differs"],
    [date, "1960-02-03", "1960-12-21", -3, "another month and day"],
    [date, "1960-02-03", "1960-02-21", -3, "another day"],
    [date, "1960-02-03", "1971-02-03", -3, "another year"],
    [date, "1960-02-03", "1971-11-21", -7, "another day altogether"],
    [{ in: ["x"], by: "number" } as MatchField, "100", "101", 2, "nearly the same number"],
    [{ in: ["x"], by: "number" } as MatchField, "100", "999", -2, "another number"],
    [{ in: ["x"], by: "overlap" } as MatchField, "a;b", "b;c", 2, "some values in common"],
    [{ in: ["x"], by: "overlap" } as MatchField, "a;b", "c;d", -2, "hardly any value in common"],
    [{ in: ["x"], by: "overlap" } as MatchField, "a;b", "c;d", 0, "hardly any value in common"],
  ])("%o: “%s” and “%s”", (field, a, b, bits, says) => {
    expect(whyWords(field, a, b, bits)).toBe(says);
  });

  it("says how far two places are apart", () => {
    const field = { in: ["lat", "lon"], by: "distance", km: 10 } as MatchField;
    expect(whyWords(field, "52.0000 1.0000", "52.0300 1.0000", 2)).toMatch(/^3(\.\d)? km apart$/);
  });

  it("knows a plan's own words", () => {
    const field = { in: ["x"], by: "person", variants: { Sorrel: ["Zory"] } } as MatchField;
    expect(whyWords(field, "Zory Ness", "Sorrel Ness", 4)).toBe("zory is a form of sorrel");
  });

  it("shows both texts in stretches, of which nothing is lost", () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 60 }), fc.string({ maxLength: 60 }), (a, b) => {
        const [x, y] = stretchesOf(a, b);
        expect(x.map((s) => s.text).join("")).toBe(a);
        expect(y.map((s) => s.text).join("")).toBe(b);
        const same = (list: typeof x): string =>
          list
            .filter((s) => s.same)
            .map((s) => s.text)
            .join("");
        expect(same(x)).toBe(same(y));
      }),
    );
    expect(stretchesOf("Sorrel", "Sorel")[0].filter((s) => !s.same)).toEqual([{ text: "r", same: false }]);
  });
});

describe("records that another thread made plain", () => {
  const fields: MatchField[] = [
    { in: ["name"], by: "person" },
    { in: ["born"], by: "date" },
    { in: ["phone"], by: "edit", as: "code" },
  ];
  const word = fc.constantFrom("", "Ness", "ness ", "Sorrel Ness", "NESS, Sorrel", "Tarn", "Alder Brook", "Bram");
  const record = fc.tuple(
    word,
    fc.constantFrom("", "1960-02-03", "1971-11-30"),
    fc.constantFrom("", "0123 4", "01234"),
  );
  const mark = (table: MatchTable): unknown =>
    Array.from({ length: table.length }, (_, r) =>
      table.values.map((v, f) => {
        const n = table.column(f)[r]!;
        const rowOf = (starts: Int32Array, list: Int32Array): number[] => [...list.subarray(starts[n], starts[n + 1])];
        return [v.texts[n], rowOf(v.featureStarts, v.featureList), rowOf(v.coarseStartList, v.coarseList)];
      }),
    );

  it("are what they would be if this one had", () => {
    const batches = fc.array(fc.tuple(fc.boolean(), fc.array(record, { maxLength: 6 })), { maxLength: 8 });
    fc.assert(
      fc.property(batches, (list) => {
        const alone = new MatchTable(fields.map((f, i) => new Values(f, i)));
        for (const [, records] of list) for (const r of records) alone.add(r);
        const here = new MatchTable(fields.map((f, i) => new Values(f, i)));
        const there = new NumbersRecords(fields.map((f, i) => new Values(f, i)));
        const takes = new TakesNumbered(here.values);
        // Answers come after what was added here meanwhile.
        const answers: (() => void)[] = [];
        for (const [elsewhere, records] of list) {
          if (elsewhere) {
            const at = here.reserve(records.length);
            const numbered = there.numbered(records.flat());
            answers.push(() => takes.take(here, at, numbered));
          } else for (const r of records) here.add(r);
        }
        for (const take of answers) take();
        expect(mark(here)).toEqual(mark(alone));
      }),
    );
  });
});

describe("the score by which records were joined", () => {
  const fields = [
    { name: "id", type: "text" as const },
    { name: "how_sure", type: "integer" as const },
    { name: "ahead", type: "text" as const },
  ];
  const kept = { values: ["a", "", "x"], from: [0, -1, 1] };

  it("goes into a field, and how far it was ahead into another", () => {
    const section = { score_in: "how_sure", lead_in: "ahead" };
    expect(withJoinedBy(section, fields, kept, { score: 83.6, lead: 12.34 })).toEqual({
      values: ["a", "84", "12.3"],
      from: [0, -1, -1],
    });
    expect(withJoinedBy(section, fields, kept, { score: 83.6, lead: null }).values).toEqual(["a", "84", ""]);
    expect(withJoinedBy({ score_in: "how_sure" }, fields, kept, { score: 60, lead: 1 }).values).toEqual([
      "a",
      "60",
      "x",
    ]);
    expect(withJoinedBy({}, fields, kept, { score: 60, lead: 1 })).toBe(kept);
  });

  it("is the least of a cluster's, with the least lead", () => {
    const pairs = {
      count: 4,
      a: Int32Array.from([1, 2, 2, 3]),
      b: Int32Array.from([0, 0, 1, 0]),
    } as unknown as Pairs;
    const matcher = { incoming: { length: 4 } } as Matcher;
    const found = {
      scores: Float64Array.from([90, 80, 70, 30]),
      bands: Uint8Array.from([0, 0, 0, 2]),
      clusters: Int32Array.from([0, 0, 0, 3]),
    } as unknown as Resolution;
    const by = joinedBy(Object.assign(matcher, { known: matcher.incoming }), pairs, found);
    expect([...by]).toEqual([[0, { score: 70, lead: 10 }]]);
  });

  it("asks for a field that can hold it", () => {
    const plan = (match: object) =>
      planOf(
        [
          { name: "id", type: "text", required: true },
          { name: "name", type: "text" },
          { name: "born", type: "date" },
          { name: "sure", type: "decimal", precision: 5, scale: 1 },
        ],
        { match: { fields: [{ in: ["name"], by: "person" }], ...match }, load: { target: "t", key: ["id"] } } as never,
      );
    expect(plan({ score_in: "sure" }).match!.score_in).toBe("sure");
    const fault = (match: object): string => {
      try {
        plan(match);
      } catch (error) {
        return JSON.stringify({ ...(error as object) });
      }
      return "";
    };
    expect(fault({ score_in: "born" })).toContain("can't hold a score");
    expect(fault({ score_in: "name" })).toContain("is compared");
    expect(fault({ lead_in: "id" })).toContain("of the key");
    expect(() => plan({ lead_in: "nowhere" })).toThrow();
    const renamed = renameField(plan({ score_in: "sure" }), "sure", "certainty");
    expect(renamed.match!.score_in).toBe("certainty");
    expect(usedIn(renamed, "certainty")).toContainEqual({ stage: "Match", says: "filled by the match" });
    expect(removeField(renamed, "certainty").match!.score_in).toBeUndefined();
  });
});
