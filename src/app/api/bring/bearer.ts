import { SieveError } from "@/core/kernel/problem.ts";
import { senderOfKey } from "@/store/sender-keys.ts";
import { db } from "../../server.ts";

/** The sender whose key a request has. Throws `key-unknown`. */
export async function senderOf(request: Request, feed: string): Promise<string> {
  const key = /^Bearer (\S+)$/i.exec(request.headers.get("authorization") ?? "")?.[1];
  if (key !== undefined) return await senderOfKey(db(), key, feed);
  throw new SieveError("key-unknown", "The request has no key.", {
    hint: "Send it as “Authorization: Bearer KEY”.",
  });
}
