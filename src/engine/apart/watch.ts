/**
 * The thread that ends the process of work apart (`process.ts`) when its parent has ended: work that stands still
 * hears nothing of that. By itself, as the whole program in a second thread would take half a second to read.
 */
const LOOK_MS = 500;
const parent = process.ppid;

setInterval(() => {
  if (process.ppid !== parent) process.kill(process.pid, "SIGKILL");
}, LOOK_MS);
