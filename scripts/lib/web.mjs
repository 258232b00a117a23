/** Runs Next on loopback, and ends with its parent. */
import { createServer } from "node:http";
import next from "next";

const [mode, port] = process.argv.slice(2);
if (process.channel) process.on("disconnect", () => process.exit(0));
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => process.exit(0));

const app = next({ dev: mode === "dev", hostname: "127.0.0.1", port: Number(port) });
await app.prepare();
const handle = app.getRequestHandler();
const server = createServer((request, response) => void handle(request, response));
// Hot reload comes by a web socket.
if (mode === "dev") server.on("upgrade", app.getUpgradeHandler());
// An upload may take longer than the five minutes that Node gives a request.
server.requestTimeout = 0;
server.listen(Number(port), process.env.HOST ?? "127.0.0.1", () => process.send?.("ready"));
