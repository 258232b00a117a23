import { describe, expect, it } from "vitest";
import { siftAll } from "../support/sift.ts";
import { profileOf } from "../support/profile.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { propose } from "@/core/profile/propose.ts";
import { csvRow } from "@/core/write/csv.ts";

const two = (n: number): string => String(n).padStart(2, "0");
/** Moments of which some can be read with the day first alone. */
const MOMENTS = Array.from({ length: 60 }, (_, i) => ({
  ...{
    y: 2025 + (i % 2),
    m: 1 + (i % 12),
    d: 1 + ((i * 7) % 28),
    h: (i * 5) % 24,
    min: (i * 13) % 60,
    s: (i * 17) % 60,
  },
}));
type Moment = (typeof MOMENTS)[number];
const half = ({ h }: Moment): [number, string] => [h % 12 === 0 ? 12 : h % 12, h < 12 ? "AM" : "PM"];

const WAYS: readonly [string, (m: Moment) => string, (string | undefined)[] | undefined][] = [
  ["dd.MM.yyyy HH:mm", (m) => `${two(m.d)}.${two(m.m)}.${m.y} ${two(m.h)}:${two(m.min)}`, ["dd.MM.yyyy HH:mm"]],
  ["d/M/yyyy H:mm:ss", (m) => `${m.d}/${m.m}/${m.y} ${m.h}:${two(m.min)}:${two(m.s)}`, undefined],
  [
    "MM/dd/yyyy hh:mm a",
    (m) => `${two(m.m)}/${two(m.d)}/${m.y} ${two(half(m)[0])}:${two(m.min)} ${half(m)[1]}`,
    ["MM/dd/yyyy hh:mm a"],
  ],
  [
    "M/d/yyyy h:mm:ss a",
    (m) => `${m.m}/${m.d}/${m.y} ${half(m)[0]}:${two(m.min)}:${two(m.s)} ${half(m)[1]}`,
    undefined,
  ],
  ["dd.MM.yyyy, HH:mm", (m) => `${two(m.d)}.${two(m.m)}.${m.y}, ${two(m.h)}:${two(m.min)}`, ["dd.MM.yyyy, HH:mm"]],
  ["yyyy/MM/dd HH:mm", (m) => `${m.y}/${two(m.m)}/${two(m.d)} ${two(m.h)}:${two(m.min)}`, ["yyyy/MM/dd HH:mm"]],
  ["yyyy-MM-dd'T'HH:mm", (m) => `${m.y}-${two(m.m)}-${two(m.d)}T${two(m.h)}:${two(m.min)}`, ["yyyy-MM-dd'T'HH:mm"]],
  [
    "yyyy-MM-dd'T'HH:mm:ssXX",
    (m) => `${m.y}-${two(m.m)}-${two(m.d)}T${two(m.h)}:${two(m.min)}:${two(m.s)}+0000`,
    ["yyyy-MM-dd'T'HH:mm:ssXX"],
  ],
  [
    "yyyy-MM-dd HH:mm:ss.SSSXXX",
    (m) => `${m.y}-${two(m.m)}-${two(m.d)} ${two(m.h)}:${two(m.min)}:${two(m.s)}.000+00:00`,
    ["yyyy-MM-dd HH:mm:ss.SSSXXX"],
  ],
  [
    "yyyy-MM-dd HH:mm:ss,SSS",
    (m) => `${m.y}-${two(m.m)}-${two(m.d)} ${two(m.h)}:${two(m.min)}:${two(m.s)},000`,
    ["yyyy-MM-dd HH:mm:ss,SSS"],
  ],
  [
    "yyyy-MM-dd HH:mm:ss 'UTC'",
    (m) => `${m.y}-${two(m.m)}-${two(m.d)} ${two(m.h)}:${two(m.min)}:${two(m.s)} UTC`,
    ["yyyy-MM-dd HH:mm:ss 'UTC'"],
  ],
  ["the usual", (m) => `${m.y}-${two(m.m)}-${two(m.d)}T${two(m.h)}:${two(m.min)}:${two(m.s)}Z`, undefined],
];

describe("a column of days with a time", () => {
  it.each(WAYS)("written %s is proposed as what reads all of it", async (name, write, formats) => {
    const values = MOMENTS.map(write);
    const profile = await profileOf({ n: values.map((_, i) => i), at: values });
    const { plan, reasons } = propose(profile, { feed: "f", read: { as: "delimited" } as never });
    const field = plan.contract.fields[1]!;
    expect(field.type).toBe("timestamp");
    if (formats) expect(field.formats).toEqual(formats);
    if (name === "the usual") expect(field.formats).toBeUndefined();
    const text = [["n", "at"], ...values.map((v, i) => [String(i), v])].map((row) => csvRow(row)).join("");
    const { records } = await siftAll(parsePlan(plan), [{ name: "f.csv", bytes: new TextEncoder().encode(text) }]);
    expect(records.flatMap((r) => r.problems.map((p) => p.message))).toEqual([]);
    expect(records.map((r) => r.values[1])).toEqual(
      MOMENTS.map(({ y, m, d, h, min, s }) => {
        const second = /s/.test(name) ? s : 0;
        return `${y}-${two(m)}-${two(d)} ${two(h)}:${two(min)}:${two(second)}.000000+00`;
      }),
    );
    expect(reasons.find((r) => r.part === "type" && r.field === "at")?.why).toBe(
      "all 60 values begin with a day and have a time",
    );
  });

  it("says where the order of day and month is not known", async () => {
    const values = Array.from({ length: 40 }, (_, i) => `0${1 + (i % 9)}/0${1 + ((i * 5) % 9)}/2026 1${i % 10}:00`);
    const { reasons } = propose(await profileOf({ n: values.map((_, i) => i), at: values }), {
      ...{ feed: "f", read: { as: "delimited" } as never },
    });
    expect(reasons.find((r) => r.part === "formats")?.why).toMatch(/^day or month first: the dates fit both alike/);
  });

  it("whose years have two digits is read by a step, with its times", async () => {
    const values = MOMENTS.map((m) => `${two(m.d)}.${two(m.m)}.${two(m.y % 100)} ${m.h}:${two(m.min)}`);
    const profile = await profileOf({ n: values.map((_, i) => i), at: values });
    const { plan, reasons } = propose(profile, { feed: "f", read: { as: "delimited" } as never });
    expect(plan.contract.fields[1]).toEqual({ name: "at", type: "timestamp", required: true });
    expect(plan.cleanse).toEqual([{ do: "written-date", order: "day first", in: ["at"] }]);
    expect(reasons.find((r) => r.part === "type" && r.field === "at")?.why).toBe(
      "all 60 values are days that exist, 60 with a time, read so",
    );
    const text = [["n", "at"], ...values.map((v, i) => [String(i), v])].map((row) => csvRow(row)).join("");
    const { records } = await siftAll(parsePlan(plan), [{ name: "f.csv", bytes: new TextEncoder().encode(text) }]);
    expect(records.map((r) => r.values[1])).toEqual(
      MOMENTS.map(({ y, m, d, h, min }) => `${y}-${two(m)}-${two(d)} ${two(h)}:${two(min)}:00.000000+00`),
    );
  });

  it("whose months are in words is read by a step, with its times", async () => {
    const names = "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split(" ");
    const ways = [
      (m: Moment) => `Tue, ${two(m.d)} ${names[m.m - 1]} ${m.y} ${two(m.h)}:${two(m.min)}:00 +0000`,
      (m: Moment) => `${names[m.m - 1]} ${m.d}, ${m.y} ${half(m)[0]}:${two(m.min)} ${half(m)[1]}`,
    ];
    for (const write of ways) {
      const values = MOMENTS.map(write);
      const { plan } = propose(await profileOf({ n: values.map((_, i) => i), at: values }), {
        ...{ feed: "f", read: { as: "delimited" } as never },
      });
      expect(plan.cleanse.map((s) => s.do)).toEqual(["written-date"]);
      expect(plan.contract.fields[1]).toMatchObject({ type: "timestamp" });
      const text = [["n", "at"], ...values.map((v, i) => [String(i), v])].map((row) => csvRow(row)).join("");
      const { records } = await siftAll(parsePlan(plan), [{ name: "f.csv", bytes: new TextEncoder().encode(text) }]);
      expect(records.map((r) => r.values[1])).toEqual(
        MOMENTS.map(({ y, m, d, h, min }) => `${y}-${two(m)}-${two(d)} ${two(h)}:${two(min)}:00.000000+00`),
      );
    }
  });

  it("may have some years of two digits, and one odd value is no reason for a step", async () => {
    const four = (m: Moment): string => `${two(m.d)}.${two(m.m)}.${m.y} ${two(m.h)}:${two(m.min)}`;
    const of = async (short: number) => {
      const values = MOMENTS.map((m, i) => (i < short ? `${two(m.d)}.${two(m.m)}.${two(m.y % 100)}` : four(m)));
      const { plan } = propose(await profileOf({ n: values.map((_, i) => i), at: values }), {
        ...{ feed: "f", read: { as: "delimited" } as never },
      });
      return { steps: plan.cleanse.map((s) => s.do), field: plan.contract.fields[1] };
    };
    expect(await of(1)).toMatchObject({ steps: [], field: { type: "timestamp", formats: ["dd.MM.yyyy HH:mm"] } });
    expect(await of(30)).toMatchObject({ steps: ["written-date"], field: { type: "timestamp" } });
  });

  it("is none where day and month stand in both orders, as no formats would read all of it", async () => {
    const values = MOMENTS.map((m, i) =>
      i % 2 ? `${two(m.d)}/${two(m.m)}/${m.y} 10:00` : `${two(m.m)}/${two(20 + (m.d % 9))}/${m.y} 10:00`,
    );
    const { plan } = propose(await profileOf({ n: values.map((_, i) => i), at: values }), {
      ...{ feed: "f", read: { as: "delimited" } as never },
    });
    expect(plan.contract.fields[1]!.type).toBe("text");
  });

  it("is none where what stands behind the day is no time", async () => {
    for (const odd of [
      "25:00",
      "10:61",
      "13:00 PM",
      "0:30 am",
      "10",
      "10:00 o'clock",
      "10:00:00.1234567",
      "24:00:00",
      "10:60:00",
      "10:00:60Z",
      "10:00:00Y",
    ]) {
      const values = MOMENTS.map((m) => `${two(m.d)}.${two(m.m)}.${m.y} ${odd}`);
      const profile = await profileOf({ n: values.map((_, i) => i), at: values });
      const { plan } = propose(profile, { feed: "f", read: { as: "delimited" } as never });
      expect([odd, plan.contract.fields[1]!.type]).not.toEqual([odd, "timestamp"]);
    }
  });
});
