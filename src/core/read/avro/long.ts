import avro from "avsc";

/** The type of 64-bit whole numbers in Avro, exact: its values are bigints. */
export const LONG = avro.types.LongType.__with({
  fromBuffer: (buffer: Buffer) => buffer.readBigInt64LE(),
  toBuffer: (n: bigint) => {
    const buffer = Buffer.alloc(8);
    buffer.writeBigInt64LE(n);
    return buffer;
  },
  fromJSON: BigInt,
  toJSON: Number,
  isValid: (n: unknown) => typeof n === "bigint",
  compare: (a: bigint, b: bigint) => (a === b ? 0 : a < b ? -1 : 1),
});
