import { SieveError, errorLines } from "@/core/kernel/problem.ts";

export type Environment = Readonly<Record<string, string | undefined>>;

/** A number above nothing that a variable of the environment sets, or another where it sets none. Throws `usage`. */
export function numberSetting(env: Environment, name: string, otherwise: number): number {
  const text = env[name]?.trim() ?? "";
  if (text === "") return otherwise;
  const value = Number(text);
  if (Number.isFinite(value) && value > 0) return value;
  throw new SieveError("usage", `${name} is “${text}”, which is no number above 0.`, {
    hint: `Set it to a number, or leave it out for ${otherwise}.`,
  });
}

/** The five fields of cron for a time of day that is set as an hour and minute of UTC, such as 03:30; null for never. Throws `usage`. */
export function cronSetting(env: Environment, name: string, otherwise: string): string | null {
  const text = env[name]?.trim() || otherwise;
  if (text === "never") return null;
  const at = /^([01]?\d|2[0-3]):([0-5]\d)$/.exec(text);
  if (at) return `${Number(at[2])} ${Number(at[1])} * * *`;
  throw new SieveError("usage", `${name} is “${text}”, which is no time of day.`, {
    hint: "Give an hour and a minute of UTC, such as 03:30, or never.",
  });
}

/** What is set by the environment, at the start of a process; where it can't be understood the process says so and ends with 2. */
export function settingsOrEnd<T>(read: () => T): T {
  try {
    return read();
  } catch (error) {
    process.stderr.write(`${errorLines(error)}\n`);
    process.exit(2);
  }
}
