import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, it } from "vitest";
import { readIfThere } from "../../scripts/lib/cluster.mjs";

it("a file that a server may take away at any moment is read, or is as good as empty", () => {
  const folder = mkdtempSync(join(tmpdir(), "there-"));
  const file = join(folder, "postmaster.pid");
  try {
    expect(readIfThere(file)).toBe("");
    writeFileSync(file, "12\nready\n");
    expect(readIfThere(file)).toBe("12\nready\n");
    rmSync(file);
    expect(readIfThere(file)).toBe("");
    // What can't be read for another reason is no empty file.
    expect(() => readIfThere(folder)).toThrow("EISDIR");
  } finally {
    rmSync(folder, { recursive: true });
  }
});
