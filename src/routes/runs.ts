import { z } from "zod";
import type { DeliveryRow } from "@/store/runs.ts";
import { answerOf, declare } from "./declare.ts";

const feed = { feed: z.string() };
const checks = z.array(z.string().max(400)).max(500).optional().describe("Checks by key");
const steps = z.array(z.int().min(1).max(500)).max(500).optional().describe("Steps by number, from 1");
const lookUps = z.array(z.string().max(80)).max(50).optional().describe("Look-ups by name");
const reason = z.string().max(500).describe("Why, for whoever reads the report");

const targets = z.array(z.string().max(80)).max(50).optional().describe("Further targets by the name of their table");

/** What a run is to do without, and why. */
export const withoutSchema = z.object({ checks, steps, lookUps, targets, reason });

/** What a run can't be given. */
export const RUN_PROBLEMS = [
  "no-parameter",
  "parameter-invalid",
  "no-check",
  "check-needed",
  "no-step",
  "no-look-up",
  "no-further-target",
  "target-needed",
] as const;

/** What a run is given beside its plan and its delivery. */
export const runRequest = {
  parameters: z
    .record(z.string().max(40), z.string().max(500))
    .optional()
    .describe("Values of the plan's parameters, as texts; the others are as the plan has them"),
  without: withoutSchema.optional(),
};

export const listDeliveries = declare("GET /api/feeds/{feed}/deliveries", {
  about:
    "the whole deliveries of a feed since a day, the oldest first: what each was loaded to last, and what the last trial of it by the plan in force came to",
  params: feed,
  query: {
    since: z.iso.date().default("1970-01-01").describe("The day, as ISO 8601, in UTC"),
    limit: z.coerce.number().int().min(1).max(1000).default(200).describe("The newest so many"),
  },
  answer: z.object({ deliveries: answerOf<DeliveryRow[]>("the deliveries") }),
});

export const runAgain = declare("POST /api/feeds/{feed}/runs", {
  about:
    "runs deliveries of a feed by the plan in force, one after the other in the order in which they arrived: as trials, which write nothing to the target, or as loads",
  params: feed,
  body: z.object({
    deliveries: z.array(z.int()).min(1).max(1000),
    kind: z.enum(["trial", "load"]),
    ...runRequest,
  }),
  answer: z.object({
    loads: z.array(z.object({ delivery: z.int(), load: z.int() })).describe("In the order in which they are run"),
  }),
  problems: ["no-delivery", "bytes-expired", ...RUN_PROBLEMS],
});
