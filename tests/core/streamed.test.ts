import { describe, expect, it } from "vitest";
import { streamed } from "@/app/streamed.ts";

const FILE = { type: "text/plain", name: "a.txt" };
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
type Into = (bytes: Uint8Array) => Promise<void>;

describe("an answer whose bytes come as they are made", () => {
  it("has them in their order, and says what it is", async () => {
    const answer = await streamed(async (into) => {
      for (const part of ["one ", "two ", "three"]) await into(bytes(part));
    }, FILE);
    expect(answer.headers.get("content-type")).toBe("text/plain");
    expect(answer.headers.get("content-disposition")).toBe('attachment; filename="a.txt"');
    expect(await answer.text()).toBe("one two three");
    expect(await (await streamed(() => Promise.resolve(), FILE)).text()).toBe("");
  });

  it("is none where something is wrong before the first of them, and breaks off where it is later", async () => {
    await expect(streamed(() => Promise.reject(new Error("not there")), FILE)).rejects.toThrow("not there");
    const broken = await streamed(async (into) => {
      await into(bytes("one "));
      throw new Error("half-way");
    }, FILE);
    await expect(broken.text()).rejects.toThrow("half-way");
  });

  it("waits for whoever takes them, and for no more than four at once", async () => {
    const ends: (() => void)[] = [];
    const slow = (into: Into): Promise<void> =>
      into(bytes("x")).then(() => new Promise<void>((resolve) => ends.push(resolve)));
    const all = await Promise.all(Array.from({ length: 4 }, () => streamed(slow, FILE)));
    await expect(streamed(slow, FILE)).rejects.toMatchObject({ code: "busy" });
    const texts = all.map((a) => a.text());
    while (ends.length < 4) await new Promise((resolve) => setTimeout(resolve, 5));
    ends[0]!();
    expect(await texts[0]).toBe("x");
    expect(await (await streamed((into) => into(bytes("next")), FILE)).text()).toBe("next");
    for (const end of ends.slice(1)) end();
    expect(await Promise.all(texts)).toEqual(["x", "x", "x", "x"]);
  });

  it("is given up where whoever asked goes away", async () => {
    let told: unknown = null;
    const answer = await streamed(async (into) => {
      try {
        for (;;) await into(bytes("more"));
      } catch (error) {
        told = error;
        throw error;
      }
    }, FILE);
    await answer.body!.cancel("gone");
    while (told === null) await new Promise((resolve) => setTimeout(resolve, 5));
    expect(told).not.toBeNull();
  });
});
