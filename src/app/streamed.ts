import { SieveError } from "@/core/kernel/problem.ts";

/** Answers that are streamed at once: each holds a connection of the pool, and others need some too. */
const MOST_AT_ONCE = 4;
/** How long nobody may take anything of an answer, in milliseconds, before it is given up. */
const PATIENCE = 60_000;

let underway = 0;

/**
 * An answer whose bytes come as they are made. What is wrong before the first of them is thrown, to be an answer in words;
 * where it fails half-way, or nobody takes it, the answer breaks off, so that nobody takes it for whole. Throws `busy`
 * where too many are under way.
 */
export async function streamed(
  make: (into: (bytes: Uint8Array) => Promise<void>) => Promise<unknown>,
  { type, name }: { type: string; name: string },
): Promise<Response> {
  if (underway >= MOST_AT_ONCE) {
    throw new SieveError("busy", `${MOST_AT_ONCE} files are being given out just now.`, {
      hint: "Try again when one of them is done.",
    });
  }
  underway++;
  const { readable, writable } = new TransformStream<Uint8Array, Uint8Array>();
  const writer = writable.getWriter();
  let begin = (): void => {};
  const begun = new Promise<void>((resolve) => (begin = resolve));
  const work = make(async (bytes) => {
    begin();
    await taken(writer.write(bytes));
  });
  work
    .finally(() => underway--)
    .then(
      () => writer.close(),
      (error: unknown) => writer.abort(error),
    )
    .catch(() => {});
  await Promise.race([begun, work]);
  return new Response(readable, {
    headers: { "content-type": type, "content-disposition": `attachment; filename="${name}"` },
  });
}

/** Waits until bytes are taken, but not for ever. */
async function taken(writing: Promise<void>): Promise<void> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new Error("nobody takes what is given out")), PATIENCE);
  });
  try {
    await Promise.race([writing, late]);
  } finally {
    clearTimeout(timer);
  }
}
