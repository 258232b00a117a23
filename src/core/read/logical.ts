import { hexOf } from "./documents.ts";

/** Units of time in a second, by what formats call them. */
export const PER_SECOND = { millis: 1000n, micros: 1_000_000n, nanos: 1_000_000_000n } as const;

const pad = (n: bigint, digits: number): string => String(n).padStart(digits, "0");

/** A moment in UTC as ISO 8601 writes it, with what is left of a second; `zone` is nothing for a moment of no zone. */
export function momentText(units: bigint, perSecond: bigint, zone: "Z" | "" = "Z"): string {
  const seconds = units / perSecond - (units % perSecond < 0n ? 1n : 0n);
  const part = units - seconds * perSecond;
  const at = new Date(Number(seconds) * 1000);
  if (Number.isNaN(at.getTime())) return String(units);
  const text = at.toISOString().slice(0, 19);
  return text + fraction(part, perSecond) + zone;
}

/** A time of day, from midnight. */
export function timeText(units: bigint, perSecond: bigint): string {
  const seconds = units / perSecond;
  if (units < 0n || seconds >= 86_400n) return String(units);
  const [h, m, s] = [seconds / 3600n, (seconds / 60n) % 60n, seconds % 60n];
  return `${pad(h, 2)}:${pad(m, 2)}:${pad(s, 2)}${fraction(units % perSecond, perSecond)}`;
}

const fraction = (part: bigint, perSecond: bigint): string =>
  part === 0n ? "" : `.${pad(part, String(perSecond).length - 1)}`;

/** A day by its number from 1970 on; one that no calendar has as its number. */
export function dayText(days: number): string {
  const at = new Date(days * 86_400_000);
  return Number.isNaN(at.getTime()) ? String(days) : at.toISOString().slice(0, at.getUTCFullYear() > 9999 ? 13 : 10);
}

/** Sixteen bytes as a UUID is written. */
export function uuidText(bytes: Uint8Array): string {
  const hex = hexOf(bytes);
  return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join("-");
}

/** Months, days and milliseconds as ISO 8601 writes a duration. */
export function durationText(bytes: Uint8Array): string {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  const [months, days, ms] = [0, 4, 8].map((at) => view.getUint32(at, true)) as [number, number, number];
  const date = `${months > 0 ? `${months}M` : ""}${days > 0 ? `${days}D` : ""}`;
  const time = ms > 0 || date === "" ? `T${String(ms / 1000)}S` : "";
  return `P${date}${time}`;
}

/** Digits of a whole number with a decimal point `scale` digits from the end. */
export function decimalText(unscaled: bigint, scale: number): string {
  const sign = unscaled < 0n ? "-" : "";
  const digits = pad(unscaled < 0n ? -unscaled : unscaled, scale + 1);
  return scale === 0 ? sign + digits : `${sign}${digits.slice(0, -scale)}.${digits.slice(-scale)}`;
}

/** A two's complement number, the highest byte first. */
export function bigFromBytes(bytes: Uint8Array): bigint {
  let value = 0n;
  for (const b of bytes) value = value * 256n + BigInt(b);
  return bytes.length > 0 && bytes[0]! > 127 ? value - 256n ** BigInt(bytes.length) : value;
}
