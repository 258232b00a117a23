import { PassThrough } from "node:stream";
import { once } from "node:events";
import { SieveError, counted } from "@/core/kernel/problem.ts";
import type { AfterAction } from "@/core/plan/after.ts";
import { givesTo } from "@/core/plan/chain.ts";
import type { Plan } from "@/core/plan/document.ts";
import { OUTPUTS } from "@/core/write/records/parts.ts";
import type { Came } from "@/store/after.ts";
import type { Db } from "@/store/db.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { getFeed, planInForce } from "@/store/feeds.ts";
import type { Load } from "@/store/loads.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { outOf } from "../out/out.ts";
import { countOf } from "./file.ts";

/** Feeds that are given records from one feed on, one after the other, until there is no further. */
const MOST_STEPS = 20;

/** The plan in force of a feed; null where it has none yet. */
async function planOf(db: Db, feed: string): Promise<Plan | null> {
  try {
    return (await planInForce(db, feed)).document;
  } catch (error) {
    if (error instanceof SieveError && error.code === "no-plan") return null;
    throw error;
  }
}

/** Throws `chain-closed` where what a feed is given would come back to the one that gives. */
async function refuseCircle(db: Db, from: string, to: string): Promise<void> {
  let reached = [to];
  for (let step = 0; step < MOST_STEPS && reached.length > 0; step++) {
    if (reached.includes(from)) {
      throw new SieveError("chain-closed", `What ${to} is given comes back to ${from}.`, {
        hint: "Take the step out of one of the plans; records would go round for ever.",
      });
    }
    const plans = await Promise.all(reached.map((feed) => planOf(db, feed)));
    reached = [...new Set(plans.flatMap((plan) => givesTo(plan)))];
  }
}

/** The format of files out that a feed's plan reads; CSV where it reads what is not written, or has no plan yet. */
async function formatFor(db: Db, feed: string): Promise<string> {
  const read = (await planOf(db, feed))?.read;
  if (read?.as === "delimited" && read.delimiter === "\t") return "tsv";
  return OUTPUTS.find((o) => o.id === read?.as)?.id ?? "csv";
}

/** Gives what a load accepted to another feed as a delivery, and asks for its load; the same bytes are loaded once. */
export async function giveToFeed(db: Db, action: AfterAction & { do: "feed" }, load: Load): Promise<Came> {
  const feed = await getFeed(db, action.feed);
  await refuseCircle(db, load.feed, action.feed);
  const outgoing = await outOf(db, load.feed, {
    format: action.format ?? (await formatFor(db, action.feed)),
    load: load.id,
    what: action.what ?? "accepted",
  });
  const delivery = await makeDelivery(db, action.feed, "feed", load.feed);
  const through = new PassThrough();
  const packing = outgoing.pack(async (bytes) => {
    if (!through.write(bytes)) await once(through, "drain");
  });
  packing.then(
    () => through.end(),
    (error: Error) => through.destroy(error),
  );
  await receiveFile(db, delivery, outgoing.name, through as AsyncIterable<Uint8Array>);
  const gone = countOf(await packing);
  const came = (what: string): Came => ({
    ...gone,
    answer: `${counted(gone.records, "record")} to ${feed.title}${what}`,
  });
  try {
    const next = await askForLoad(db, delivery, { by: `load ${load.id}` });
    return came(`: load ${next}`);
  } catch (error) {
    // Its bytes were loaded before, or the feed has no plan yet: it has been given all the same, and not again at each attempt.
    if (!(error instanceof SieveError)) throw error;
    if (error.code === "loaded-before") return came(", which had loaded the same before");
    return came(` as delivery ${delivery}, which is not loaded: ${error.message}`);
  }
}
