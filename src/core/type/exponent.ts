/** Digits beyond which a number is no longer written in plain ones. */
const MOST_DIGITS = 60;

/** Takes an exponent out of a number's text: 1.5e-7 is 0.00000015. Digits are kept as they are. */
export function withoutExponent(text: string): string {
  const match = /^(-?)(\d+)(?:\.(\d+))?[eE]([+-]?\d{1,3})$/.exec(text);
  if (!match) return text;
  const [, sign, whole, part = "", exponent] = match;
  const digits = whole! + part;
  const point = whole!.length + Number(exponent);
  if (point > MOST_DIGITS || point < -MOST_DIGITS) return text;
  if (point <= 0) return `${sign}0.${"0".repeat(-point)}${digits}`;
  if (point >= digits.length) return `${sign}${digits.replace(/^0+(?=\d)/, "")}${"0".repeat(point - digits.length)}`;
  return `${sign}${digits.slice(0, point).replace(/^0+(?=\d)/, "")}.${digits.slice(point)}`;
}
