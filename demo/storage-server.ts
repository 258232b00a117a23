import { storageServer } from "./storage.ts";

/** Starts the stand-in for an object storage: its port, and the key and secret of whose requests are taken. */
const [port = "4313", key = "ashmere", secret = "seeds-in-store"] = process.argv.slice(2);
const { server } = storageServer({ key, secret });
server.listen(Number(port), "127.0.0.1", () => process.send?.("ready"));
server.on("error", (error) => {
  process.stderr.write(`error: the stand-in for an object storage could not be started: ${error.message}\n`);
  process.exit(3);
});
if (process.channel) process.on("disconnect", () => process.exit(0));
