import iconv from "iconv-lite";
import { utf8 } from "../kernel/bytes.ts";
import { SieveError, quoted } from "../kernel/problem.ts";

/**
 * How text becomes bytes of an encoding (WHATWG names), piece by piece; the first of UTF-16 has its mark of byte order.
 * Throws `out-unfit` for an encoding that there is not, and, when it is called, for a character that the encoding does
 * not have: nothing becomes a question mark.
 */
export function encoderOf(encoding: string): (text: string) => Uint8Array {
  if (encoding === "utf-8") return utf8;
  if (!iconv.encodingExists(encoding)) {
    throw new SieveError("out-unfit", `There is no encoding ${quoted(encoding)} to write.`, {
      hint: "Give one such as utf-8, windows-1252 or utf-16le.",
    });
  }
  let first = true;
  return (text) => {
    if (text === "") return new Uint8Array(0);
    const bytes = iconv.encode(text, encoding, { addBOM: first && encoding.startsWith("utf-16") });
    first = false;
    if (iconv.decode(bytes, encoding) !== text) refuse(text, encoding);
    return bytes;
  };
}

function refuse(text: string, encoding: string): never {
  const lost = [...text].find((c) => iconv.decode(iconv.encode(c, encoding), encoding) !== c) ?? "";
  const at = text.indexOf(lost);
  throw new SieveError("out-unfit", `${quoted(lost)} can't be written in ${encoding}.`, {
    detail: `It stands in ${quoted(text.slice(Math.max(0, at - 20), at + 20).trim())}.`,
    hint: "Take utf-8, which has every character.",
  });
}
