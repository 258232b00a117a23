import { describe, expect, it } from "vitest";
import { destinationSchema, destinationWords, type Destination } from "@/core/write/files/destination.ts";
import { destinationOf, draftOf } from "@/ui/senders/destination.ts";

const ALL: Destination[] = [
  { to: "folder", folder: "senders/fen" },
  { to: "address", url: "https://fen.example/in", as: "basic" },
  { to: "address", url: "https://fen.example/in", as: "basic", connection: "fen" },
  { to: "address", url: "https://store.example/bucket", as: "object storage", connection: "store", region: "eu-1" },
];

describe("where files go", () => {
  it("is the same after a form", () => {
    for (const destination of ALL) {
      expect(destinationOf(draftOf(destination))).toEqual(destination);
      expect(destinationSchema.parse(destination)).toEqual(destination);
    }
    expect(destinationOf(draftOf(null))).toBeNull();
  });

  it("says nothing of what is not of the kind that is chosen", () => {
    const draft = { ...draftOf(ALL[3]!), folder: " fen " };
    expect(destinationOf({ ...draft, to: "folder" })).toEqual({ to: "folder", folder: "fen" });
    expect(destinationOf({ ...draft, storage: false })).toEqual({ ...ALL[1]!, url: draft.url, connection: "store" });
    expect(destinationOf({ ...draft, to: "" })).toBeNull();
  });

  it("is a folder below one's own, or an address of the web; an object storage has its key", () => {
    for (const folder of ["..", "/etc", "a/../b", "a//b", "", "a\\b", ".hidden"])
      expect(destinationSchema.safeParse({ to: "folder", folder }).success, folder).toBe(false);
    for (const url of ["file:///etc/passwd", "ftp://fen.example", "fen.example"])
      expect(destinationSchema.safeParse({ to: "address", url }).success, url).toBe(false);
    const { connection: _, ...unsigned } = ALL[3] as Extract<Destination, { to: "address" }>;
    expect(destinationSchema.safeParse(unsigned).error!.issues[0]!.message).toMatch(/needs a connection/);
  });

  it("is told in words", () => {
    expect(destinationWords(ALL[0]!)).toBe("the folder senders/fen");
    expect(destinationWords(ALL[1]!)).toBe("https://fen.example/in");
  });
});
