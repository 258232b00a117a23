import type { IncomingHttpHeaders } from "node:http";
import { numberSetting, type Environment } from "@/store/environment.ts";

/**
 * What stands before the application: who may ask, from where, and how often. Decisions alone, without a
 * server, so that each can be tested.
 */

/** The part of a request that is decided by. */
export interface Asked {
  readonly method: string;
  readonly url: string;
  readonly headers: IncomingHttpHeaders;
}

/** Why a request is not let in, for problem details (RFC 9457). */
export interface Refusal {
  readonly status: number;
  readonly code: string;
  readonly title: string;
  readonly detail: string;
  readonly hint: string;
  readonly retryAfter?: number;
}

/** The path of an address below the one that the application is under, without its query. */
export function pathOf(url: string, under = process.env["SIEVE_PATH"] ?? ""): string {
  const path = url.split("?", 1)[0]!;
  return under !== "" && (path === under || path.startsWith(`${under}/`)) ? path.slice(under.length) || "/" : path;
}

/** What a request is about, by its path, for the log. */
export function subjectOf(url: string): { load?: number; feed?: string; delivery?: number } {
  const [, kind, which] =
    /^(?:\/api)?\/(loads|feeds|deliveries|quarantine)\/([^/]{1,63})(?:\/|$)/.exec(pathOf(url)) ?? [];
  if (kind === undefined || which === undefined) return {};
  if (kind === "feeds") return /^[a-z][a-z0-9_]*$/.test(which) ? { feed: which } : {};
  if (!/^\d{1,9}$/.test(which)) return {};
  return kind === "deliveries" ? { delivery: Number(which) } : { load: Number(which) };
}

/** Addresses of proxies that are believed about whom they ask for: those of SIEVE_PROXIES, comma between; none unless said. */
export function proxiesOf(env: Environment): readonly string[] {
  return (env["SIEVE_PROXIES"] ?? "")
    .split(",")
    .map((p) => p.trim())
    .filter((p) => p !== "");
}

/**
 * Who asks: whoever is at the other end, or, where that is a proxy that is believed, the last address in
 * X-Forwarded-For that is none. What stands before that was written by who knows whom.
 */
export function askerOf(headers: IncomingHttpHeaders, remote: string, proxies: readonly string[]): string {
  const plain = (address: string): string => address.trim().replace(/^::ffff:/, "");
  const known = new Set(proxies);
  if (!known.has(plain(remote))) return plain(remote);
  const forwarded = String(headers["x-forwarded-for"] ?? "")
    .split(",")
    .map(plain)
    .filter((a) => a !== "");
  return forwarded.reverse().find((a) => !known.has(a)) ?? plain(remote);
}

const LOOPBACK = ["127.0.0.1", "localhost", "[::1]"];

/** Names that the application answers to: those of SIEVE_HOSTS, or loopback's. One without a port fits any. */
export function hostsOf(env: Environment): readonly string[] {
  const said = (env["SIEVE_HOSTS"] ?? "")
    .split(",")
    .map((h) => h.trim().toLowerCase())
    .filter((h) => h !== "");
  return said.length > 0 ? said : LOOPBACK;
}

const bare = (host: string): string => host.replace(/:\d+$/, "");

function isKnown(host: string, hosts: readonly string[]): boolean {
  return hosts.some((h) => h === host || (!/:\d+$/.test(h) && h === bare(host)));
}

const READS = new Set(["GET", "HEAD", "OPTIONS"]);

/**
 * Refuses what does not come from our own pages or from a program that says what it does. A page of
 * another name that leads to this machine has another Host; a page of another origin says so in Origin and in
 * Sec-Fetch-Site, which no page can set by itself. What changes something must have both.
 */
export function refusalOf({ method, url, headers }: Asked, hosts: readonly string[]): Refusal | null {
  const host = (headers.host ?? "").toLowerCase();
  if (!isKnown(host, hosts)) {
    return {
      status: 421,
      code: "unknown-host",
      title: `This application does not answer to the name “${host.slice(0, 100)}”.`,
      detail: `It answers to ${hosts.join(", ")}.`,
      hint: "Open it by one of these names, or set SIEVE_HOSTS to the names that it has.",
    };
  }
  // No text that is kept has one, so nothing can be meant by it; the database would end whatever asks with it.
  if (url.includes("%00")) {
    return {
      status: 400,
      code: "usage",
      title: "The address has a NUL character in it.",
      detail: "It is written as %00.",
      hint: "Take it out.",
    };
  }
  const site = headers["sec-fetch-site"];
  const elsewhere = { status: 403, code: "not-allowed", hint: "Do it from Good Sieve’s own pages." };
  if (READS.has(method)) {
    // A link from elsewhere opens a page; nothing else of another site reads anything.
    const opens = headers["sec-fetch-mode"] === "navigate" && headers["sec-fetch-dest"] === "document";
    if (site === undefined || site === "same-origin" || site === "none" || opens) return null;
    return { ...elsewhere, title: "The request came from another site.", detail: `Sec-Fetch-Site is ${String(site)}.` };
  }
  const { origin } = headers;
  // A program of a sender's, known by its key: no page of another origin can send one unasked, and all say their origin.
  if (origin === undefined && /^Bearer /i.test(headers.authorization ?? "") && pathOf(url).startsWith("/api/bring/"))
    return null;
  const missing = [...(origin === undefined ? ["Origin"] : []), ...(site === undefined ? ["Sec-Fetch-Site"] : [])];
  if (missing.length > 0) {
    return {
      ...elsewhere,
      title: `The request has no ${missing.join(" and no ")} header, so it can't be told where it comes from.`,
      detail: "A browser sends them by itself.",
      hint: `A program sends “Origin: http://${host}” and “Sec-Fetch-Site: same-origin” with what changes something.`,
    };
  }
  if (site !== "same-origin" || hostOf(origin!) !== host) {
    return {
      ...elsewhere,
      title: "The request came from another site.",
      detail: `Origin is ${origin!.slice(0, 200)}, Sec-Fetch-Site is ${String(site)}.`,
    };
  }
  return null;
}

function hostOf(origin: string): string | null {
  try {
    return new URL(origin).host;
  } catch {
    return null;
  }
}

/** The policy for what a page may load and run (W3C, Content Security Policy Level 3). `nonce`: of this answer alone. */
export function policyOf(nonce: string, { dev = false }: { dev?: boolean } = {}): string {
  return [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}'${dev ? " 'unsafe-eval'" : ""}`,
    // Development puts styles into the page without one.
    `style-src 'self' ${dev ? "'unsafe-inline'" : `'nonce-${nonce}'`}`,
    "img-src 'self' data:",
    "font-src 'self'",
    "connect-src 'self'",
    "worker-src 'self'",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join("; ");
}

/** Requests that cost much: looks into files, tries of plans, changes of targets. */
const COSTLY =
  /^\/api\/(deliveries\/[^/]+\/(preview|profile|load)|feeds\/[^/]+\/(sample|trial|target|values)|formulas\/[^/]+\/effect|loads\/[^/]+\/(records|undo|clusters)|writings\/[^/]+\/undo|quarantine\/(release|discard|file)|references\/[^/]+\/(file|whole)|matches\/decide)$/;

/** So many costly requests of one address at once, and so many more a second. */
export interface RateLimits {
  readonly atOnce: number;
  readonly aSecond: number;
}

/** By SIEVE_COSTLY_AT_ONCE and SIEVE_COSTLY_A_SECOND; 60 and 5 where they do not say. */
export function rateOf(env: Environment): RateLimits {
  return {
    atOnce: numberSetting(env, "SIEVE_COSTLY_AT_ONCE", 60),
    aSecond: numberSetting(env, "SIEVE_COSTLY_A_SECOND", 5),
  };
}
const MOST_ADDRESSES = 10_000;

/** How often an address may ask for what costs much (a token bucket: Turner 1986). Times in milliseconds. */
export class Rate {
  private readonly buckets = new Map<string, { left: number; at: number }>();

  constructor(private readonly limits: RateLimits = rateOf({})) {}

  refusal({ method, url }: Pick<Asked, "method" | "url">, address: string, now: number): Refusal | null {
    if (method === "OPTIONS" || !COSTLY.test(pathOf(url))) return null;
    const { atOnce, aSecond } = this.limits;
    if (this.buckets.size > MOST_ADDRESSES) this.buckets.clear();
    const bucket = this.buckets.get(address) ?? { left: atOnce, at: now };
    bucket.left = Math.min(atOnce, bucket.left + ((now - bucket.at) / 1000) * aSecond);
    bucket.at = now;
    this.buckets.set(address, bucket);
    if (bucket.left >= 1) {
      bucket.left--;
      return null;
    }
    return {
      status: 429,
      code: "too-often",
      title: "You ask for this more often than it can be done.",
      detail: `${atOnce} at once and ${aSecond} a second are done for one address.`,
      hint: "Wait a moment and try again.",
      retryAfter: Math.ceil((1 - bucket.left) / aSecond),
    };
  }
}
