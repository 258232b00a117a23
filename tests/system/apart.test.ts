import { spawn } from "node:child_process";
import { readFileSync } from "node:fs";
import { gzipSync } from "node:zlib";
import { beforeAll, describe, expect, it } from "vitest";
import { join } from "node:path";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { askForProfile, getProfile } from "@/store/profiles.ts";
import { root } from "../../scripts/lib/machine.mjs";
import { deliver, newFeed, useSystem } from "../support/system.ts";

// For the worker, which is started with what stands here.
process.env["SIEVE_PROFILE_MEGABYTES"] = "200";
const system = useSystem();
const FIELDS = [{ name: "a", type: "text" }];

beforeAll(async () => {
  process.env["SIEVE_APART"] = join(root, "dist/apart.js");
  process.env["DATABASE_URL"] = system.url;
  await newFeed(system.db, "apart", FIELDS);
});

const look = (delivery: number, limits = lookLimits()) => apart("preview", { delivery, read: {} }, limits);

describe("work in a process of its own", () => {
  it("gives what the work gives, and its errors in words", async () => {
    const [part] = await look(await deliver(system.db, "apart", "a,b\n1,2\n"));
    expect(part).toMatchObject({ columns: ["a", "b"], rows: [{ cells: ["1", "2"] }] });
    await expect(look(999_999)).rejects.toMatchObject({ code: "no-delivery" });
  });

  it("is ended at its time, and says how far it was; the next one is done all the same", async () => {
    const long = await deliver(system.db, "apart", `a\n${"x".repeat(50_000_000)}\n`);
    await expect(look(long, { seconds: 0.05, megabytes: 400 })).rejects.toMatchObject({
      code: "too-long",
      message: "This took longer than 0.05 seconds, and was ended.",
      detail: expect.stringMatching(/^It had read/),
      hint: expect.stringContaining("SIEVE_LOOK_SECONDS"),
    });
    expect(await look(await deliver(system.db, "apart", "a\n1\n"))).toHaveLength(1);
  });

  it("is ended at its memory", async () => {
    const wide = await deliver(system.db, "apart", `{"a": "${"x".repeat(60_000_000)}"}`);
    await expect(look(wide, { seconds: 60, megabytes: 200 })).rejects.toMatchObject({
      code: "too-much-memory",
      hint: expect.stringContaining("SIEVE_LOOK_MEGABYTES"),
    });
  });

  it("ends when its parent has been killed, also where it stands still and hears nothing of it", async () => {
    const watch = JSON.stringify(join(root, "dist/apart-watch.js"));
    const still = `new (require("node:worker_threads").Worker)(${watch}).once("online", () => {
      setTimeout(() => { require("node:fs").writeSync(1, String(process.pid)); for (;;); }, 200);
    });`;
    const parent = spawn(process.execPath, [
      "-e",
      `require("node:child_process").spawn(process.execPath, ["-e", ${JSON.stringify(still)}], { stdio: "inherit" });
       setInterval(() => {}, 1000);`,
    ]);
    const pid = await new Promise<number>((resolve) => parent.stdout.once("data", (said) => resolve(Number(said))));
    // One that has ended may be there until somebody asks how.
    const runs = (): boolean => {
      try {
        return !/\) [ZX] /.test(readFileSync(`/proc/${pid}/stat`, "utf8"));
      } catch {
        return false;
      }
    };
    expect(runs()).toBe(true);
    parent.kill("SIGKILL");
    while (runs()) await new Promise((resolve) => setTimeout(resolve, 50));
  });

  it("is ended when nobody waits for it any more, and while it waits for its turn", async () => {
    const id = await deliver(system.db, "apart", `a\n${"x".repeat(50_000_000)}\n`);
    const asked = Array.from({ length: 5 }, () => new AbortController());
    const ends = asked.map((a) =>
      look(id, { ...lookLimits(), signal: a.signal }).catch((e: { code: string }) => e.code),
    );
    for (const a of asked) a.abort();
    expect(await Promise.all(ends)).toEqual(Array(5).fill("given-up"));
  });

  it("is not begun where it is asked to stop while it waits; what goes on and can't stop is done", async () => {
    const id = await deliver(system.db, "apart", "a\n1\n");
    const asked = Array.from({ length: 5 }, () => new AbortController());
    const ends = asked.map((a) =>
      look(id, { ...lookLimits(), stop: a.signal }).then(
        () => "done",
        (e: { code: string }) => e.code,
      ),
    );
    for (const a of asked) a.abort();
    expect(await Promise.all(ends)).toEqual(["done", "done", "stopped", "stopped", "stopped"]);
  });

  it("more than can wait are told to come back", async () => {
    const id = await deliver(system.db, "apart", "a\n1\n");
    const ends = await Promise.all(
      Array.from({ length: 50 }, () =>
        look(id).then(
          () => "done",
          (e: { code: string }) => e.code,
        ),
      ),
    );
    expect(ends.filter((e) => e === "busy")).toHaveLength(8);
    expect(ends.filter((e) => e === "done")).toHaveLength(42);
  });

  it.each([
    ["too-much-memory", `{"a": "${"x".repeat(60_000_000)}"}`],
    [
      "archive-broken",
      gzipSync(Buffer.from(Array.from({ length: 500 }, (_, i) => `${i ** 3}`).join("\n"))).subarray(0, 600),
    ],
  ])("a profile that can't be made ends in words, and is not tried again: %s", async (code, bytes) => {
    const id = await askForProfile(system.db, await deliver(system.db, "apart", bytes), null);
    let profile;
    do {
      await new Promise((resolve) => setTimeout(resolve, 50));
      profile = await getProfile(system.db, id);
    } while (profile.state === "queued" || profile.state === "running");
    expect(profile).toMatchObject({ state: "failed", error: { code } });
    expect(profile.error!.message).not.toBe("");
  });
});
