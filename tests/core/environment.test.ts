import { describe, expect, it } from "vitest";
import { cronSetting, numberSetting } from "@/store/environment.ts";
import { rateOf } from "@/web/front.ts";

describe("settings of the environment", () => {
  it("are numbers above nothing, or are not set; anything else is refused with its name", () => {
    expect(numberSetting({}, "SIEVE_LOOKS", 2)).toBe(2);
    expect(numberSetting({ SIEVE_LOOKS: " " }, "SIEVE_LOOKS", 2)).toBe(2);
    expect(numberSetting({ SIEVE_LOOKS: "0.5" }, "SIEVE_LOOKS", 2)).toBe(0.5);
    for (const text of ["two", "0", "-1", "1e999", "30s"]) {
      expect(() => numberSetting({ SIEVE_LOOKS: text }, "SIEVE_LOOKS", 2), text).toThrow(`SIEVE_LOOKS is “${text}”`);
    }
    expect(rateOf({ SIEVE_COSTLY_AT_ONCE: "7" })).toEqual({ atOnce: 7, aSecond: 5 });
    expect(() => rateOf({ SIEVE_COSTLY_A_SECOND: "many" })).toThrow("SIEVE_COSTLY_A_SECOND");
  });

  it("are a time of day, or never", () => {
    expect(cronSetting({}, "SIEVE_NIGHTLY", "03:00")).toBe("0 3 * * *");
    expect(cronSetting({ SIEVE_NIGHTLY: "23:59" }, "SIEVE_NIGHTLY", "03:00")).toBe("59 23 * * *");
    expect(cronSetting({ SIEVE_NIGHTLY: "never" }, "SIEVE_NIGHTLY", "03:00")).toBeNull();
    for (const text of ["24:00", "3", "03:60", "at night", "* * * * *"]) {
      expect(() => cronSetting({ SIEVE_NIGHTLY: text }, "SIEVE_NIGHTLY", "03:00"), text).toThrow("no time of day");
    }
  });
});
