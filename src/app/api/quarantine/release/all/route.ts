import { handle } from "@/app/server.ts";
import { apart, writeLimits } from "@/engine/apart/apart.ts";
import { asLongWork } from "@/engine/apart/long-work.ts";
import { releaseAllHeld } from "@/routes/quarantine.ts";

export const POST = handle(releaseAllHeld, ({ body: { mend, preview, work, ...filter } }) =>
  asLongWork(work, (how) =>
    apart("release of all", { filter, mend, by: "steward", preview }, { ...writeLimits(), ...how }),
  ),
);
