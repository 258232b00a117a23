/** A whole number of units of ten to the power of -scale, as people write it. */
export function scaledText(units: bigint, scale: number): string {
  const digits = String(units < 0n ? -units : units).padStart(scale + 1, "0");
  const part = scale === 0 ? "" : digits.slice(-scale).replace(/0+$/, "");
  const whole = scale === 0 ? digits : digits.slice(0, -scale);
  return `${units < 0n ? "-" : ""}${whole}${part && `.${part}`}`;
}

/** So many digits of a number are exact whatever they are. */
const EXACT_DIGITS = 15;

/** A decimal of any length as a whole number of units of ten to the power of -scale; what is smaller is cut. */
export function unitsOf(text: string, scale: number): bigint {
  const point = text.indexOf(".");
  // With just so many digits behind the point, and few in all, they are the number.
  if (point >= 0 && text.length - point - 1 === scale && text.length <= EXACT_DIGITS) {
    const digits = Number(text.slice(0, point) + text.slice(point + 1));
    if (!Number.isNaN(digits)) return BigInt(digits);
  }
  const [, sign, whole = "", fraction = ""] = /^([+-]?)(\d*)(?:\.(\d*))?$/.exec(text) ?? [];
  const all = BigInt(`${whole}${fraction.padEnd(scale, "0").slice(0, scale)}` || "0");
  return sign === "-" ? -all : all;
}
