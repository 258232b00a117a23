/** Days by which one event may be written down later in one place than in another. */
const LATER = 7;
const DAY = /^\d{4}-\d{2}-\d{2}$/;

function numbersOf(text: string): string[] {
  return (text.match(/\d+/g) ?? []).map((digits) => digits.replace(/^0+(?=\d)/, ""));
}

/** Whether each of two lists has something that the other has not; what comes twice counts twice. */
function eachHasMore(x: readonly string[], y: readonly string[]): boolean {
  const left = [...y];
  let more = false;
  for (const n of x) {
    const at = left.indexOf(n);
    if (at < 0) more = true;
    else left.splice(at, 1);
  }
  return more && left.length > 0;
}

/**
 * Whether two prepared values have other numbers: days more than a week apart, flats 3 and 4, parts 1 and 2. Where one
 * has left a number out they have not.
 */
export function haveOtherNumbers(a: string, b: string): boolean {
  if (DAY.test(a) && DAY.test(b)) return Math.abs(Date.parse(a) - Date.parse(b)) > LATER * 86_400_000;
  return eachHasMore(numbersOf(a), numbersOf(b));
}
