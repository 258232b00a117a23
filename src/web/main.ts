import { randomBytes } from "node:crypto";
import { createServer, type IncomingMessage, type ServerResponse } from "node:http";
import { fileURLToPath } from "node:url";
import next from "next";
import { lookLimits, writeLimits } from "@/engine/apart/apart.ts";
import { numberSetting, settingsOrEnd } from "@/store/environment.ts";
import { makeLog } from "@/store/log.ts";
import {
  Rate,
  askerOf,
  hostsOf,
  pathOf,
  policyOf,
  proxiesOf,
  rateOf,
  refusalOf,
  subjectOf,
  type Refusal,
} from "./front.ts";

/** The web process: lets in what may come in (`front.ts`), hands it to Next, ends with its parent. */

/** How long answers and uploads that are under way are waited for at the end. */
const END_MS = 20_000;
const log = makeLog("web", "warn");

// Wherever it is started from, the program that looks at files lies beside it.
process.env["SIEVE_APART"] ??= fileURLToPath(new URL("./apart.js", import.meta.url));

const [mode, port] = process.argv.slice(2);
const dev = mode === "dev";
const hosts = hostsOf(process.env);
const proxies = proxiesOf(process.env);
const { rate, silenceMs } = settingsOrEnd(() => {
  // What is asked later needs them too, and somebody is there to read it now.
  lookLimits();
  writeLimits();
  return {
    rate: new Rate(rateOf(process.env)),
    silenceMs: numberSetting(process.env, "SIEVE_SILENCE_SECONDS", 60) * 1000,
  };
});

function refuse(response: ServerResponse, refusal: Refusal, request: string): void {
  const { status, code, retryAfter, ...words } = refusal;
  response.writeHead(status, {
    "content-type": "application/problem+json",
    // What was being sent is not read.
    connection: "close",
    ...(retryAfter === undefined ? {} : { "retry-after": String(retryAfter) }),
  });
  response.end(JSON.stringify({ type: `urn:good-sieve:${code}`, ...words, request }));
}

/**
 * Ends a request that stops coming in the midst of its body, so that nobody holds a place by sending nothing. An upload
 * may take as long as it likes, as long as something of it comes, or lies here unread.
 */
function endSilent(request: IncomingMessage): void {
  let seen = request.socket.bytesRead;
  const timer = setInterval(() => {
    if (request.complete || request.destroyed) return clearInterval(timer);
    const { bytesRead } = request.socket;
    if (bytesRead === seen && request.readableLength === 0) request.destroy();
    seen = bytesRead;
  }, silenceMs);
}

const app = next({ dev, hostname: "127.0.0.1", port: Number(port) });
await app.prepare();
const handle = app.getRequestHandler();

const server = createServer((request: IncomingMessage, response: ServerResponse) => {
  const id = randomBytes(6).toString("hex");
  response.setHeader("x-request-id", id);
  response.setHeader("x-content-type-options", "nosniff");
  response.setHeader("referrer-policy", "same-origin");
  response.setHeader("cross-origin-resource-policy", "same-origin");
  response.setHeader("cross-origin-opener-policy", "same-origin");
  const began = performance.now();
  const { method = "GET", url = "/" } = request;
  response.on("finish", () => {
    const { statusCode: status } = response;
    const ms = Math.round(performance.now() - began);
    const facts = { request: id, method, path: pathOf(url), ...subjectOf(url), status, ms };
    if (status >= 400) log.warn(facts, "answered");
    else log.info(facts, "answered");
  });
  const asked = { method, url, headers: request.headers };
  const refusal =
    refusalOf(asked, hosts) ??
    rate.refusal(asked, askerOf(request.headers, request.socket.remoteAddress ?? "", proxies), performance.now());
  if (refusal) return refuse(response, refusal, id);
  const nonce = randomBytes(16).toString("base64");
  const policy = policyOf(nonce, { dev });
  response.setHeader("content-security-policy", policy);
  // Next takes the nonce of its own scripts from here; pages and routes take the rest.
  request.headers["content-security-policy"] = policy;
  request.headers["x-nonce"] = nonce;
  request.headers["x-request-id"] = id;
  endSilent(request);
  void handle(request, response);
});
// Hot reload comes by a web socket.
if (dev) server.on("upgrade", app.getUpgradeHandler());
// An upload may take longer than the five minutes that Node gives a request.
server.requestTimeout = 0;
server.headersTimeout = 30_000;
// Longer than proxies and browsers keep an idle connection, so that none is closed just as it is used.
server.keepAliveTimeout = 75_000;

let ending = false;
function end(): void {
  if (ending) return;
  ending = true;
  // What is under way ends; nothing new is taken.
  server.close(() => process.exit(0));
  server.closeIdleConnections();
  setTimeout(() => process.exit(0), END_MS).unref();
}
if (process.channel) process.on("disconnect", () => process.exit(0));
for (const signal of ["SIGINT", "SIGTERM"] as const) process.on(signal, end);

server.listen(Number(port), process.env["HOST"] ?? "127.0.0.1", () => process.send?.("ready"));
