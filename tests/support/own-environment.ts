import { afterAll } from "vitest";

/** Test files share their modules and a process: what one puts into its environment goes with it. */
const before = { ...process.env };
afterAll(() => {
  for (const name of Object.keys(process.env)) if (!(name in before)) delete process.env[name];
  Object.assign(process.env, before);
});
