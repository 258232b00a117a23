import { z } from "zod";
import type { CopyOutlook } from "@/core/plan/copies.ts";
import { plainNameSchema } from "@/core/plan/name.ts";
import { retentionSchema } from "@/core/plan/retention.ts";
import { MOST_SAMPLED } from "@/core/kernel/limits.ts";
import { unchanging } from "@/core/kernel/union.ts";
import { lookUpSchema } from "@/core/lookup/schema.ts";
import { readSectionSchema } from "@/core/read/schema.ts";
import type { Sample } from "@/core/sample/sample.ts";
import type { Compared } from "@/engine/copies/compare.ts";
import type { ProposedLookUp } from "@/core/map/propose-look-up.ts";
import type { FieldValues } from "@/engine/look/delivery-values.ts";
import type { targetValues } from "@/engine/writing/target.ts";
import type { TargetAlterations } from "@/engine/writing/alterations.ts";
import type { Expiring } from "@/store/retention.ts";
import type { Feed, PlanVersion } from "@/store/feeds.ts";
import type { Period } from "@/store/period.ts";
import type { Source } from "@/store/sources.ts";
import { answerOf, declare, numberOf } from "./declare.ts";

const COPY_PROBLEMS = ["no-feed", "no-copy", "no-connection", "copy-away", "copy-unfit", "copy-failed"];
const feed = { feed: z.string().describe("The feed's name") };
const document = z.object({ document: z.unknown().describe("A plan, as docs/plan.schema.json describes it") });

export const listFeeds = declare("GET /api/feeds", {
  about: "the feeds",
  answer: z.object({ feeds: answerOf<Feed[]>("each with its name, title and what it is about") }),
});

export const makeFeed = declare("POST /api/feeds", {
  about: "makes a feed, which has no plan yet",
  body: z.object({
    name: plainNameSchema.describe("Lower-case letters, digits and underscores, beginning with a letter"),
    title: z.string().min(1).max(120),
    about: z.string().max(500).default(""),
  }),
  answer: z.object({ name: z.string() }),
  problems: ["feed-exists"],
});

export const listPlans = declare("GET /api/feeds/{feed}/plans", {
  about: "the versions of a feed's plan, the newest first",
  params: feed,
  answer: z.object({
    plans: answerOf<(Omit<PlanVersion, "document"> & { loads: number })[]>(
      "each with its note, who made it, when, and how many loads have used it",
    ),
  }),
});

export const getPlanVersion = declare("GET /api/feeds/{feed}/plans/{version}", {
  about: "one version of a feed's plan with its document, as it can be changed and saved as the next one",
  params: { ...feed, version: numberOf("The version") },
  answer: answerOf<PlanVersion>("the document, its note, who made it and when"),
  problems: ["no-plan"],
});

export const savePlan = declare("POST /api/feeds/{feed}/plans", {
  about: "saves a plan as the next version; `from` is the version that was changed",
  params: feed,
  body: document.extend({ note: z.string().min(1).max(500), from: z.int().optional() }),
  answer: z.object({ id: z.int(), version: z.int().nullable() }),
  problems: ["plan-invalid", "plan-moved", "target-differs", "no-right"],
});

export const tryPlan = declare("POST /api/feeds/{feed}/trial", {
  about:
    "tries a plan on the latest delivery beside the version in force, and writes nothing: two trials to be compared",
  params: feed,
  body: document,
  answer: z.object({ load: z.int(), against: z.int() }),
  problems: ["plan-invalid", "no-delivery"],
});

export const sampleRecords = declare("POST /api/feeds/{feed}/sample", {
  about:
    "records of a delivery that are worth looking at: the first ones, some with problems, of rare shapes, and at random; with `following` the first ones alone",
  params: feed,
  body: z.object({
    delivery: z.int(),
    read: readSectionSchema,
    size: z.int().min(10).max(MOST_SAMPLED).default(2000),
    following: z.boolean().default(false),
  }),
  answer: answerOf<Sample>("blocks of records as they were read, and where each is from"),
});

export const targetOfPlan = declare("POST /api/feeds/{feed}/target", {
  about: "what a plan, saved or not, would have altered in its targets, and what it may not alter",
  params: feed,
  body: document,
  answer: z.object({
    targets: answerOf<TargetAlterations[]>(
      "of each table, the plan's own first, what is made or altered, and why what is not may not be",
    ),
  }),
  problems: ["plan-invalid"],
});

export const periodOfFeed = declare("GET /api/feeds/{feed}/period", {
  about:
    "the account of a feed over some days: its loads and their sums, what was held, what was written to which table",
  params: feed,
  query: {
    from: z.iso.date().optional().describe("The first day; of this month unless said"),
    until: z.iso.date().optional().describe("The last day; of the month of the first unless said"),
    as: z.enum(["json", "csv"]).default("json").describe("CSV is one table, made safe for a spreadsheet"),
  },
  answer: z.object({
    period: answerOf<Period>(
      "in which read is the sum of the outcomes, and held before and after differ by what came and went",
    ),
  }),
});

export const valuesOfField = declare("GET /api/feeds/{feed}/values", {
  about: "the different values of a field in the target, with their counts",
  params: feed,
  query: { field: z.string().min(1).max(63) },
  answer: answerOf<Awaited<ReturnType<typeof targetValues>>>("values with their counts, and whether these are all"),
});

export const valuesOfDelivery = declare("POST /api/feeds/{feed}/values", {
  about:
    "the different values of a field in the latest delivery, as they stand after so many steps of a plan, saved or not",
  params: feed,
  body: document.extend({ field: z.string().min(1).max(63), steps: z.int().min(0).max(500) }),
  answer: answerOf<FieldValues>("values with their counts, and whether these are all"),
  problems: ["plan-invalid", "no-delivery", "bytes-expired"],
});

export const mendsOfFeed = declare("GET /api/feeds/{feed}/mends", {
  about:
    "values that people have mended to other ones in held records of the feed that were released, the most frequent first",
  params: feed,
  answer: z.object({
    mends: z.array(
      z.object({
        field: z.string(),
        from: z.string().describe("The value as it stood after the plan's steps"),
        to: z.string(),
        records: z.number(),
        loads: z.number(),
        times: z.number().describe("How often: what is released at once of a load is one time"),
      }),
    ),
  }),
});

export const lookUpOfDelivery = declare("POST /api/feeds/{feed}/look-up", {
  about:
    "by which fields the records of the latest delivery find their entries in a list, with the evidence, and which limits of likeness fit them",
  params: feed,
  body: document.extend({
    lookUp: unchanging(lookUpSchema).describe("The look-up as it is so far: its list or file, and how it looks"),
  }),
  answer: answerOf<ProposedLookUp>(
    "pairs of field and column, what they would fill, keys that several entries have, limits",
  ),
  problems: ["plan-invalid", "no-delivery", "no-list", "list-missing", "list-invalid", "bytes-expired"],
});

const compared = z.object({
  copies: answerOf<Compared[]>("each with its rows that are alike, otherwise, missing and more"),
});

export const compareCopies = declare("GET /api/feeds/{feed}/copies", {
  about: "holds the copies of the feed's targets in other databases against them, row by row; changes nothing",
  params: feed,
  answer: compared,
  problems: COPY_PROBLEMS,
});

export const mendCopies = declare("POST /api/feeds/{feed}/copies", {
  about: "the same, and makes each copy what its target is: what others changed there is written over",
  params: feed,
  answer: compared,
  problems: COPY_PROBLEMS,
});

export const copiesOfPlan = declare("POST /api/feeds/{feed}/copies/outlook", {
  about:
    "how the copies that a plan says its targets have would be written, or what stands in the way; changes nothing",
  params: feed,
  body: document,
  answer: z.object({
    copies: answerOf<CopyOutlook[]>("each with its table there, how it would be committed, and what stands in the way"),
  }),
  problems: ["plan-invalid"],
});

export const listSources = declare("GET /api/feeds/{feed}/sources", {
  about: "ways in that are looked at again and again",
  params: feed,
  answer: z.object({ sources: answerOf<Source[]>("each with what it has seen last") }),
});

export const makeSource = declare("POST /api/feeds/{feed}/sources", {
  about: "makes one: a folder (`inbox`), an address (`outbox`) or a query of another database",
  params: feed,
  body: z.object({
    kind: z.enum(["inbox", "outbox", "query"]),
    options: z.record(z.string(), z.string()),
    everySeconds: z.int().min(5).max(86_400).default(60),
  }),
  answer: z.object({ id: z.int() }),
});

export const getRetention = declare("GET /api/feeds/{feed}/retention", {
  about: "how long what is kept of a feed, what expires by that in the next run, and how it was set before",
  params: feed,
});

export const setRetention = declare("POST /api/feeds/{feed}/retention", {
  about: "sets it; `null` days keep for ever",
  params: feed,
  body: retentionSchema,
});

export const expiringBy = declare("POST /api/feeds/{feed}/retention/expiring", {
  about: "what would expire if it were set so; changes nothing",
  params: feed,
  body: retentionSchema,
  answer: answerOf<Expiring>("counts and bytes of what would be taken away"),
});
