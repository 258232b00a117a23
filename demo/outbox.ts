import { createServer } from "node:http";
import { makeOtherDeliveries } from "./other-feeds.ts";

/**
 * A stand-in for a partner's outbox: lists its files page by page and hands them over. Nothing but
 * made-up deliveries, on loopback only.
 */
const port = Number(process.argv[2] ?? 4311);
const PER_PAGE = 2;
const files = makeOtherDeliveries(20260807).filter((d) => d.feed === "germination");

const server = createServer((request, response) => {
  const url = new URL(request.url ?? "/", `http://127.0.0.1:${port}`);
  const json = (value: unknown): void => {
    response.setHeader("content-type", "application/json");
    response.end(JSON.stringify(value));
  };
  if (url.pathname === "/files") {
    const page = Math.max(0, Math.floor(Number(url.searchParams.get("page") ?? 0)) || 0);
    const here = files.slice(page * PER_PAGE, (page + 1) * PER_PAGE);
    return json({
      files: here.map((d) => ({ name: d.name, href: `/files/${encodeURIComponent(d.name)}`, version: d.bytes.length })),
      next: (page + 1) * PER_PAGE < files.length ? `/files?page=${page + 1}` : null,
    });
  }
  const file = files.find((d) => url.pathname === `/files/${encodeURIComponent(d.name)}`);
  if (!file) {
    response.statusCode = 404;
    return json({ title: "There is no such file." });
  }
  response.setHeader("content-length", file.bytes.length);
  return response.end(file.bytes);
});
server.listen(port, "127.0.0.1", () => process.send?.("ready"));
server.on("error", (error) => {
  process.stderr.write(`error: the partner's outbox could not be started: ${error.message}\n`);
  process.exit(3);
});
if (process.channel) process.on("disconnect", () => process.exit(0));
