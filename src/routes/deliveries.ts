import { z } from "zod";
import { readSectionSchema, readSettingsSchema } from "@/core/read/schema.ts";
import { plainNameSchema } from "@/core/plan/name.ts";
import type { PartPreview } from "@/engine/look/preview.ts";
import type { StoredProfile } from "@/store/profiles.ts";
import { RUN_PROBLEMS, runRequest } from "./runs.ts";
import { answerOf, declare, numberOf } from "./declare.ts";

const id = { id: numberOf("The delivery") };

export const makeDelivery = declare("POST /api/feeds/{feed}/deliveries", {
  about: "begins a delivery; its files are put to it one by one",
  params: { feed: z.string() },
  body: z.object({ sender: z.string().max(120).default("") }),
  answer: z.object({ id: z.int() }),
});

export const putFile = declare("PUT /api/deliveries/{id}/files", {
  about: "streams one file into it",
  params: id,
  query: { name: z.string().default("").describe("The file's name") },
  takesFile: true,
  problems: ["upload-cut", "file-too-large"],
});

export const previewFiles = declare("POST /api/deliveries/{id}/preview", {
  about:
    "what each file is, with the evidence for each guess, and its first records; `read` holds what has been decided",
  params: id,
  body: z.object({
    read: readSettingsSchema.default({}),
    most: z.int().min(1).max(2000).optional(),
  }),
  answer: z.object({ parts: answerOf<PartPreview[]>("what each part is, why, and its first records") }),
  problems: ["too-long", "too-much-memory", "busy"],
});

export const splitDelivery = declare("POST /api/deliveries/{id}/split", {
  about: "gives files of a delivery that was not loaded to feeds of their own, each with a delivery; the rest stays",
  params: id,
  body: z.object({
    feeds: z
      .array(
        z.object({
          name: plainNameSchema,
          title: z.string().min(1).max(120),
          files: z.array(z.int()).min(1).max(1000).describe("Numbers of the files, as the preview gives them"),
        }),
      )
      .min(1)
      .max(100),
  }),
  answer: z.object({ feeds: z.array(z.object({ feed: z.string(), delivery: z.int() })) }),
  problems: ["no-delivery", "wrong-state", "feed-exists"],
});

export const askForProfile = declare("POST /api/deliveries/{id}/profile", {
  about: "asks for a profile of the whole delivery; the same one again when it is there",
  params: id,
  body: z.object({ read: readSectionSchema.nullable().default(null) }),
  answer: z.object({ profile: z.int() }),
});

export const getProfile = declare("GET /api/profiles/{id}", {
  about: "a profile, done or on its way",
  params: { id: numberOf("The profile") },
  answer: answerOf<StoredProfile>("its state, how far it is, and its document when it is done"),
});

export const loadDelivery = declare("POST /api/deliveries/{id}/load", {
  about: "asks for its load, told what a run may be given; 409 with the earlier load when its bytes were loaded before",
  params: id,
  body: z.object({
    again: z.boolean().default(false),
    ...runRequest,
  }),
  answer: z.object({ load: z.int() }),
  problems: ["loaded-before", ...RUN_PROBLEMS],
});
