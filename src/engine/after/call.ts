import { createHmac } from "node:crypto";
import { OUTCOMES } from "@/core/kernel/ledger.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import type { AfterAction } from "@/core/plan/after.ts";
import type { AfterLoad } from "@/store/after.ts";
import { identityOf } from "@/store/connections.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery } from "@/store/deliveries.ts";
import type { Load } from "@/store/loads.ts";
import { httpPost } from "../sources/http-get.ts";

const SILENCE_MS = 30_000;

/** What a receiver is told: which load, how it ended, its balance, and its report. */
export function bodyOf(one: Pick<AfterLoad, "load" | "feed" | "outcome">, load: Load, sender: string): string {
  const { read, report, error, endedAt, delivery } = load;
  const balance = Object.fromEntries(OUTCOMES.map((o) => [o, (o === "left out" ? load.leftOut : load[o]) ?? 0]));
  return JSON.stringify({
    ...{ load: one.load, feed: one.feed, outcome: one.outcome, ended_at: endedAt?.toISOString() ?? null },
    ...{ delivery, sender, read, balance, error, report },
  });
}

/**
 * The signature of what is sent: HMAC (RFC 2104) with SHA-256 over the time, a point and the body, in hexadecimal digits. With
 * the time in it, what was sent once can't be sent again later by another.
 */
export function signatureOf(secret: string, time: string, body: string): string {
  return createHmac("sha256", secret).update(`${time}.${body}`).digest("hex");
}

/** Tells a receiver of a load. Throws what `httpPost` does, and `receiver-refused` for an answer other than of success. */
export async function tellReceiver(
  db: Db,
  action: AfterAction & { do: "call" },
  one: Pick<AfterLoad, "load" | "feed" | "outcome" | "n">,
  load: Load,
  hosts: readonly string[],
): Promise<string> {
  const body = bodyOf(one, load, (await getDelivery(db, load.delivery)).sender);
  const time = new Date().toISOString();
  const signed =
    action.signed_with === undefined
      ? {}
      : { "sieve-signature": signatureOf((await identityOf(db, action.signed_with)).password, time, body) };
  const { status, text } = await httpPost(
    new URL(action.url),
    { hosts, variable: "SIEVE_RECEIVER_HOSTS", silence: SILENCE_MS },
    body,
    {
      "content-type": "application/json",
      "content-length": String(Buffer.byteLength(body)),
      // The same again where it is sent again, by which a receiver knows it.
      "sieve-delivery": `${one.load}-${one.outcome.replaceAll(" ", "-")}-${one.n}`,
      "sieve-time": time,
      ...signed,
    },
  );
  const said = text.trim().slice(0, 200);
  if (status >= 200 && status < 300) return `It answered ${status}${said === "" ? "" : `: ${said}`}`;
  throw new SieveError("receiver-refused", `The receiver answered ${status}.`, { detail: said });
}
