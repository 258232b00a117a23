import { lookup } from "node:dns/promises";
import { request as ask, type IncomingMessage } from "node:http";
import { request as askSafely } from "node:https";
import { BlockList, isIP } from "node:net";
import type { Readable } from "node:stream";
import { SieveError } from "@/core/kernel/problem.ts";

/** What may be asked, and how long it may be silent. */
export interface GetLimits {
  /** `host:port`, or a host alone for its scheme's own port. */
  readonly hosts: readonly string[];
  /** The setting that says so. */
  readonly variable?: string;
  /** Silence, in milliseconds; there is no limit to the whole. */
  readonly silence: number;
}

const MOST_REDIRECTS = 5;

/** Addresses of machines and networks of one's own (RFC 1918, 4193, 6598, 3927, 4291, 5735). */
const PRIVATE = new BlockList();
for (const [net, bits] of [
  ["0.0.0.0", 8],
  ["10.0.0.0", 8],
  ["100.64.0.0", 10],
  ["127.0.0.0", 8],
  ["169.254.0.0", 16],
  ["172.16.0.0", 12],
  ["192.0.0.0", 24],
  ["192.168.0.0", 16],
  ["198.18.0.0", 15],
  ["224.0.0.0", 3],
] as const) {
  PRIVATE.addSubnet(net, bits);
}
for (const [net, bits] of [
  ["::", 127],
  ["fc00::", 7],
  ["fe80::", 10],
  ["ff00::", 8],
] as const) {
  PRIVATE.addSubnet(net, bits, "ipv6");
}

/** Whether an IP address is of this machine or of a network of one's own; one of IPv4 within IPv6 counts as itself. */
export function isPrivate(address: string): boolean {
  const inner = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(address)?.[1] ?? address;
  return PRIVATE.check(inner, isIP(inner) === 6 ? "ipv6" : "ipv4");
}

const portOf = (url: URL): string => url.port || (url.protocol === "https:" ? "443" : "80");

/**
 * Throws `host-not-allowed` unless a host and port is one of those that may be asked. A name among them must not
 * lead to a network of one's own; an address of one must stand there as itself.
 * @returns the address to connect to, so that nothing else is connected to than what was looked at
 */
async function allowed(url: URL, { hosts, variable = "SIEVE_OUTBOX_HOSTS" }: GetLimits): Promise<string> {
  const host = url.hostname.replace(/^\[|\]$/g, "");
  const named = hosts.some((h) => h === `${url.hostname}:${portOf(url)}` || (h === url.hostname && url.port === ""));
  if (!named || !/^https?:$/.test(url.protocol)) {
    throw new SieveError("host-not-allowed", `${url.hostname}:${portOf(url)} is not one that may be asked.`, {
      detail: `Allowed: ${hosts.join(", ")}.`,
      hint: `Add host and port to ${variable}.`,
    });
  }
  if (isIP(host)) return host;
  const found = await lookup(host, { all: true });
  // The one name that means this machine.
  const fit = found.filter(({ address }) => host === "localhost" || !isPrivate(address));
  if (fit.length === 0) {
    throw new SieveError("host-not-allowed", `${host} leads to a network of one's own.`, {
      detail: `It is ${found.map((f) => f.address).join(", ")}.`,
      hint: `Where that is meant, allow the address itself in ${variable}.`,
    });
  }
  return fit[0]!.address;
}

/** Credentials never stand in a message. */
export function shownUrl(url: URL): string {
  return `${url.origin}${url.pathname}`;
}

/**
 * Asks for an address and gives the answer, whose body streams for as long as it takes, with no silence longer than
 * the limit. Redirects are gone after, each looked at like the first; credentials go to the first origin alone.
 * Throws `host-not-allowed`, `outbox-silent`, `outbox-refused`.
 */
export async function httpGet(
  address: URL,
  limits: GetLimits,
  credentials?: { readonly origin: string; readonly user: string; readonly password: string },
): Promise<IncomingMessage> {
  let url = address;
  for (let i = 0; i <= MOST_REDIRECTS; i++) {
    const answer = await once(url, await allowed(url, limits), limits, credentials);
    const { statusCode: status = 0, headers } = answer;
    if (status < 300 || status > 399 || !headers.location) {
      if (status >= 200 && status < 300) return answer;
      answer.resume();
      throw new SieveError("outbox-refused", `${shownUrl(url)} answered ${status}.`, { hint: "Check the address." });
    }
    answer.resume();
    url = new URL(headers.location, url);
  }
  throw new SieveError("outbox-refused", `${shownUrl(address)} leads on and on.`, {
    detail: `After ${MOST_REDIRECTS} redirects there was one more.`,
    hint: "Check the address.",
  });
}

/** Bytes of an answer to what was sent that are looked at. */
const ANSWER_BYTES = 1 << 16;

/**
 * Sends a text to an address, and gives the answer's status and the beginning of its text. A redirect is not gone after:
 * what was meant for one is not given to another. Throws `host-not-allowed`, `outbox-silent`.
 */
export async function httpPost(
  address: URL,
  limits: GetLimits,
  body: string,
  headers: Readonly<Record<string, string>>,
): Promise<{ status: number; text: string }> {
  return await answerOf(
    await once(address, await allowed(address, limits), limits, undefined, { method: "POST", body, headers }),
  );
}

/**
 * Puts a stream of bytes to an address, whose length stands in the headers, and gives the answer's status and the
 * beginning of its text. A redirect is not gone after. Throws `host-not-allowed`, `outbox-silent`.
 */
export async function httpPut(
  address: URL,
  limits: GetLimits,
  body: Readable,
  headers: Readonly<Record<string, string>>,
): Promise<{ status: number; text: string }> {
  try {
    return await answerOf(
      await once(address, await allowed(address, limits), limits, undefined, { method: "PUT", body, headers }),
    );
  } finally {
    body.destroy();
  }
}

async function answerOf(answer: IncomingMessage): Promise<{ status: number; text: string }> {
  const parts: Buffer[] = [];
  let bytes = 0;
  for await (const chunk of answer as AsyncIterable<Buffer>) {
    if (bytes < ANSWER_BYTES) parts.push(chunk);
    bytes += chunk.length;
  }
  return { status: answer.statusCode ?? 0, text: Buffer.concat(parts).toString("utf8").slice(0, ANSWER_BYTES) };
}

function once(
  url: URL,
  connectTo: string,
  { silence }: GetLimits,
  credentials: Parameters<typeof httpGet>[2],
  sent?: {
    readonly method: "POST" | "PUT";
    readonly body: string | Readable;
    readonly headers: Readonly<Record<string, string>>;
  },
): Promise<IncomingMessage> {
  const own = credentials && credentials.origin === url.origin;
  return new Promise((resolve, reject) => {
    const silent = (why: string): SieveError =>
      new SieveError("outbox-silent", `${url.host} does not answer.`, {
        detail: why,
        hint: "It is asked again when its time comes; ask the partner if it stays so.",
      });
    const asked = (url.protocol === "https:" ? askSafely : ask)(
      {
        protocol: url.protocol,
        hostname: url.hostname.replace(/^\[|\]$/g, ""),
        port: portOf(url),
        path: `${url.pathname}${url.search}`,
        method: sent?.method ?? "GET",
        headers: { accept: "*/*", "user-agent": "good-sieve", ...sent?.headers },
        ...(own ? { auth: `${credentials.user}:${credentials.password}` } : {}),
        lookup: (_host, options, done) => {
          const family = isIP(connectTo);
          const each = { address: connectTo, family };
          // The one who asks may want a list.
          if ((options as { all?: boolean }).all) (done as unknown as (e: null, a: object[]) => void)(null, [each]);
          else done(null, connectTo, family);
        },
      },
      (answer) => resolve(answer),
    );
    asked.setTimeout(silence, () => asked.destroy(silent(`It said nothing for ${silence / 1000} s.`)));
    asked.on("error", (error) => reject(error instanceof SieveError ? error : silent(error.message)));
    if (!sent || typeof sent.body === "string") asked.end(sent?.body);
    else {
      sent.body.on("error", (error) => asked.destroy(error));
      sent.body.pipe(asked);
    }
  });
}
