/**
 * An answer whose bytes come as they are made. What is wrong before the first of them is thrown, to be an answer in words;
 * where it fails half-way the answer breaks off, so that nobody takes it for whole.
 */
export async function streamed(
  make: (into: (bytes: Uint8Array) => Promise<void>) => Promise<unknown>,
  { type, name }: { type: string; name: string },
): Promise<Response> {
  const { readable, writable } = new TransformStream<Uint8Array, Uint8Array>();
  const writer = writable.getWriter();
  let begin = (): void => {};
  const begun = new Promise<void>((resolve) => (begin = resolve));
  const work = make(async (bytes) => {
    begin();
    await writer.write(bytes);
  });
  work
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
