import { describe, expect, it } from "vitest";
import { openFile, type SourceFile } from "@/core/read/source.ts";
import { hostileFiles } from "../../demo/hostile-set.ts";
import { memoryFile, memorySpool } from "../support/formats.ts";

/** A stored file has a connection to the store for as long as its bytes are asked for, so whoever reads must end. */

/** The file, and how many of the streams of its bytes are open. */
function watched(file: SourceFile): { file: SourceFile; open: () => number } {
  let open = 0;
  return {
    file: {
      ...file,
      async *chunks() {
        open++;
        try {
          yield* file.chunks();
        } finally {
          open--;
        }
      },
    },
    open: () => open,
  };
}

const FILES = hostileFiles(1)
  .filter((f) => !f.long)
  .map(({ name, bytes }) => ({ name, bytes: bytes() }));

describe("the bytes of a file are not held any longer when", () => {
  const stops = {
    "all is read, or it can't be": "never",
    "nobody asks for a block": "part",
    "nobody asks for a second block": "block",
  } as const;
  it.each(Object.entries(stops))("%s", async (_, stop) => {
    const left: string[] = [];
    for (const { name, bytes } of FILES) {
      const { file, open } = watched(memoryFile(name, bytes));
      try {
        reading: for await (const opened of openFile(file, {}, memorySpool)) {
          if (stop === "part") break;
          for await (const _block of opened.blocks) if (stop === "block") break reading;
        }
      } catch {
        // What is wrong with it is said elsewhere.
      }
      if (open() > 0) left.push(name);
    }
    expect(left).toEqual([]);
  });

  it("a header is longer than any line of names", async () => {
    const { file, open } = watched(memoryFile("one-line.csv", "x".repeat(3_000_000)));
    const read = async (): Promise<void> => {
      for await (const opened of openFile(file, {}, memorySpool)) for await (const _ of opened.blocks);
    };
    await expect(read()).rejects.toThrow("first line is longer");
    expect(open()).toBe(0);
  });
});
