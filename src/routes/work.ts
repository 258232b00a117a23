import { z } from "zod";
import { declare } from "./declare.ts";

/** The name of a piece of long work, made up by who asks for it. */
export const workName = z.string().regex(/^[A-Za-z0-9-]{8,60}$/);
const params = { work: z.string().max(60).describe("The name that was given with what was asked for") };

export const lookAtWork = declare("GET /api/work/{work}", {
  about:
    "how far long work is that goes on under a name, such as a release of all; null where there is none, or it has not said yet",
  params,
  answer: z.object({ at: z.object({ stage: z.string(), done: z.int(), of: z.int() }).nullable() }),
});

export const stopLongWork = declare("DELETE /api/work/{work}", {
  about:
    "asks long work to stop: it takes back what it did and ends as `stopped`, unless it is just done, which its own answer says",
  params,
  answer: z.object({ stopping: z.boolean().describe("There was such work") }),
});
