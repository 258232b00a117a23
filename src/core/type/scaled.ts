/** A whole number of units of ten to the power of -scale, as people write it. */
export function scaledText(units: bigint, scale: number): string {
  const digits = String(units < 0n ? -units : units).padStart(scale + 1, "0");
  const part = scale === 0 ? "" : digits.slice(-scale).replace(/0+$/, "");
  const whole = scale === 0 ? digits : digits.slice(0, -scale);
  return `${units < 0n ? "-" : ""}${whole}${part && `.${part}`}`;
}
