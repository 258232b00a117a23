import { createServer } from "node:http";

/**
 * A stand-in for another program that is told when a load has ended: keeps the last notices in memory, a number once, and
 * lists them for whoever asks. Nothing leaves this machine.
 */
const port = Number(process.argv[2] ?? 4312);
const MOST = 100;
const MOST_BYTES = 4 << 20;

interface Notice {
  readonly delivery: string;
  readonly at: string;
  readonly signed: boolean;
  readonly body: { load?: number; feed?: string; outcome?: string; read?: number; balance?: object };
}
const notices = new Map<string, Notice>();

const server = createServer((request, response) => {
  const answer = (status: number, value: unknown): void => {
    response.statusCode = status;
    response.setHeader("content-type", "application/json");
    response.end(`${JSON.stringify(value, null, 1)}\n`);
  };
  if (request.method !== "POST") {
    return answer(
      200,
      [...notices.values()].reverse().map(({ body: { load, feed, outcome, read, balance }, ...about }) => ({
        ...{ load, feed, outcome, read, balance },
        ...about,
      })),
    );
  }
  const parts: Buffer[] = [];
  let bytes = 0;
  request.on("data", (part: Buffer) => {
    if ((bytes += part.length) <= MOST_BYTES) parts.push(part);
  });
  request.on("end", () => {
    const delivery = String(request.headers["sieve-delivery"] ?? "");
    if (bytes > MOST_BYTES || delivery === "") return answer(422, { title: "This is no notice of a load." });
    try {
      const body = JSON.parse(Buffer.concat(parts).toString("utf8")) as Notice["body"];
      const known = notices.has(delivery);
      notices.set(delivery, {
        delivery,
        at: String(request.headers["sieve-time"] ?? ""),
        signed: request.headers["sieve-signature"] !== undefined,
        body,
      });
      for (const old of notices.keys()) if (notices.size > MOST) notices.delete(old);
      return answer(200, { noted: delivery, known });
    } catch {
      return answer(422, { title: "The notice is not JSON." });
    }
  });
});
server.listen(port, "127.0.0.1", () => process.send?.("ready"));
server.on("error", (error) => {
  process.stderr.write(`error: the stand-in for a receiver could not be started: ${error.message}\n`);
  process.exit(3);
});
if (process.channel) process.on("disconnect", () => process.exit(0));
