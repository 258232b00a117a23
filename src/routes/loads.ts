import { z } from "zod";
import { AFTER_OUTCOMES } from "@/core/plan/after.ts";
import type { AfterLoad } from "@/store/after.ts";
import { HELD_AT, OUTCOMES, type Transition } from "@/core/kernel/ledger.ts";
import { MOST_AT_ONCE } from "@/core/kernel/limits.ts";
import { KEPT_BECAUSE } from "@/core/plan/arriving.ts";
import { STAGES } from "@/core/plan/types.ts";
import type { LoadReport } from "@/core/report/report.ts";
import type { RecordLife } from "@/engine/look/life.ts";
import type { RecordPage } from "@/engine/look/records.ts";
import type { AlikeFound } from "@/engine/release/alike.ts";
import type { Load } from "@/store/loads.ts";
import { answerOf, declare, numberOf } from "./declare.ts";
import { withoutSchema } from "./runs.ts";
import { overChanged } from "./writings.ts";

const id = { id: numberOf("The load") };

export const getLoad = declare("GET /api/loads/{id}", {
  about: "the load with its report",
  params: id,
  answer: answerOf<Load>("its state, balance, error and report"),
});

export const loadProgress = declare("GET /api/loads/{id}/progress", {
  about: "server-sent events until it has ended",
  params: id,
  gives: "text/event-stream",
});

/** Which records of a load are asked for, as in the address of their page. */
export const recordFilter = {
  outcome: z.enum([...OUTCOMES, "loaded"]).optional(),
  at: z.enum(HELD_AT).optional(),
  left: z.enum(STAGES).optional(),
  check: z.string().max(400).optional(),
  field: z.string().max(63).optional(),
  is: z.enum(["filled", "empty", "valid", "faulty", "changed"]).optional(),
  kept: z.enum(KEPT_BECAUSE).optional(),
  against: z.coerce.number().int().min(1).optional(),
  was: z.enum(OUTCOMES).optional(),
  step: z.coerce.number().int().min(0).max(500).optional(),
  from: z.coerce.number().int().min(0).default(0),
  limit: z.coerce.number().int().min(1).max(500).default(100),
};

export const loadRecords = declare("GET /api/loads/{id}/records", {
  about: "the records behind a count; `was` and `against`: what became of them in another trial",
  params: id,
  query: recordFilter,
  answer: answerOf<RecordPage>("records, each with its cells, values and problems, and where the next page begins"),
  problems: ["bytes-expired", "detail-expired"],
});

export const recordLife = declare("GET /api/loads/{id}/records/{record}", {
  about:
    "one record of a load: as it came, what each step made of it, what became of it, in the quarantine and in the target, until now",
  params: { ...id, record: numberOf("The record") },
  answer: answerOf<RecordLife>("the record, from its raw text to its row"),
  problems: ["no-report", "no-record", "busy"],
});

export const compareLoads = declare("GET /api/loads/{id}/against/{other}", {
  about: "how many records of a delivery end otherwise than in another load or trial, from which outcome to which",
  params: { ...id, other: numberOf("The other load") },
  answer: z.object({
    transitions: answerOf<readonly Transition[]>("from which outcome to which, and how many"),
    records: z.tuple([z.int(), z.int()]).describe("How many records each of the two has"),
  }),
  problems: ["not-alike", "detail-expired"],
});

export const loadReport = declare("GET /api/loads/{id}/report", {
  about: "the report as a file",
  params: id,
  answer: answerOf<LoadReport>("the report"),
  problems: ["no-report"],
});

const reason = z.string().max(500).default("");

export const cancelLoad = declare("POST /api/loads/{id}/cancel", {
  about: "ends a load in whatever state that has not ended",
  params: id,
  body: z.object({}),
  problems: ["wrong-state"],
});

export const letThrough = declare("POST /api/loads/{id}/let-through", {
  about: "lets a load that stopped at a gate go on",
  params: id,
  body: z.object({ reason }),
  problems: ["wrong-state"],
});

export const runWithout = declare("POST /api/loads/{id}/without", {
  about: "runs a load that stopped again without some checks, steps or look-ups",
  params: id,
  body: withoutSchema,
  problems: ["wrong-state"],
});

export const dropLoad = declare("POST /api/loads/{id}/drop", {
  about: "drops a load that stopped; its bytes may come again",
  params: id,
  body: z.object({ reason }),
  problems: ["wrong-state"],
});

export const undoLoad = declare("POST /api/loads/{id}/undo", {
  about: "undoes a load: that of its writing, below",
  params: id,
  body: z.object({ reason, over: overChanged }),
  problems: ["cannot-undo"],
});

export const changeClusters = declare("POST /api/loads/{id}/clusters", {
  about:
    "`split` a member off, put it `back`, `join` two clusters, or put the `row` of the target that has a key to one, whichever load wrote it; remembered by loads to come",
  params: id,
  body: z.discriminatedUnion("act", [
    z.object({ act: z.literal("split"), first: z.int().min(0), at: z.int().min(1) }),
    z.object({ act: z.literal("back"), first: z.int().min(0), at: z.int().min(1) }),
    z.object({ act: z.literal("join"), first: z.int().min(0), other: z.int().min(0) }),
    z.object({
      act: z.literal("row"),
      first: z.int().min(0),
      key: z.array(z.string().max(1000)).min(1).max(16).describe("Values of the key's fields, in the plan's order"),
    }),
  ]),
  answer: z.object({
    stays: z
      .array(z.string())
      .readonly()
      .describe("fields of the kept row that somebody has changed since, which stay as they are"),
  }),
  problems: ["no-cluster", "no-member", "no-record", "row-gone", "row-changed", "row-refused"],
});

const heldRecord = { load: z.int().min(1), record: z.int().min(0) };

export const findAlike = declare("GET /api/loads/{id}/alike", {
  about:
    "held records of earlier loads that may have come again in this one without their mark and under another key, each with the record that is most like it",
  params: id,
  answer: answerOf<AlikeFound>("pairs, the likest first, and among how many they were looked for"),
  problems: ["wrong-state", "bytes-expired", "detail-expired", "busy"],
});

export const closeAlike = declare("POST /api/loads/{id}/alike", {
  about: "closes held records of which somebody says that this load has brought them back",
  params: id,
  body: z.object({
    records: z
      .array(z.object({ ...heldRecord, again: z.int().min(0) }))
      .min(1)
      .max(MOST_AT_ONCE),
  }),
  answer: z.object({ closed: z.int() }),
  problems: ["wrong-state"],
});

export const reopenAlike = declare("DELETE /api/loads/{id}/alike", {
  about: "takes that back: they are held again",
  params: id,
  body: z.object({ records: z.array(z.object(heldRecord)).min(1).max(MOST_AT_ONCE) }),
  answer: z.object({ reopened: z.int() }),
});

export const afterLoad = declare("GET /api/loads/{id}/after", {
  about: "what is done after the load, and what came of it",
  params: id,
  answer: z.object({
    after: answerOf<AfterLoad[]>("each with its outcome, its place in the plan, its state and its answer"),
  }),
});

export const listNotices = declare("GET /api/notices", {
  about: "what plans have said after loads and nobody has seen to yet, the latest first",
  answer: z.object({
    notices: answerOf<AfterLoad[]>("each with its load, its outcome, its place in the plan and its text"),
  }),
});

export const seeToNotice = declare("POST /api/loads/{id}/after/seen", {
  about: "notes that somebody has seen to a notice of the load, or, with `seen` false, that nobody has",
  params: id,
  body: z.object({ outcome: z.enum(AFTER_OUTCOMES), n: z.int().min(0), seen: z.boolean().default(true) }),
  problems: ["no-after"],
});

export const doAfterAgain = declare("POST /api/loads/{id}/after", {
  about: "has one of it done again, whatever came of it",
  params: id,
  body: z.object({ outcome: z.enum(AFTER_OUTCOMES), n: z.int().min(0) }),
  problems: ["no-after"],
});
