import type { Block } from "../../kernel/block.ts";
import { isManyBytes } from "../encoding/decode.ts";
import { DelimitedReader } from "./reader.ts";
import { detectDelimited } from "../detect.ts";
import type { Reader } from "../part.ts";

/** Delimited text: RFC 4180 and what people make of it. */
export const reader: Reader = {
  isSo: () => "text in lines",
  async *open(source, settings, context) {
    const detected = detectDelimited(context.head, context.whole, { ...settings, encoding: context.encoding });
    const reader = new DelimitedReader(detected.options, context.part);
    const pieces = source.chunks()[Symbol.asyncIterator]();
    // The columns are known once the header has been read: up to the first block.
    let waiting: Generator<Block> | null = null;
    let ready: Block | null = null;
    let ended = false;
    const next = async (): Promise<Block | null> => {
      for (;;) {
        if (waiting) {
          const step = waiting.next();
          if (!step.done) return step.value;
          waiting = null;
        }
        if (ended) return null;
        const piece = await pieces.next();
        ended = piece.done === true;
        waiting = ended ? reader.push(new Uint8Array(0), true) : reader.push(piece.value as Uint8Array, false);
      }
    };
    const blocks = async function* (): AsyncGenerator<Block> {
      for (let block = ready ?? (await next()); block; block = await next()) yield block;
    };
    try {
      ready = await next();
      const { encoding: _, ...evidence } = detected.evidence;
      yield {
        name: source.name,
        options: { as: "delimited", ...detected.options },
        evidence,
        ...(detected.doubts.length > 0 ? { doubts: detected.doubts } : {}),
        columns: () => reader.columns ?? [],
        blocks: blocks(),
        trailer: () => reader.trailer,
        resumable: !isManyBytes(detected.options.encoding),
      };
    } finally {
      // Also where the header can't be read, or nobody asks for a block: a stored file has a connection until then.
      await pieces.return?.();
    }
  },
};
