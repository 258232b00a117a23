/**
 * Whether a file's name fits a pattern: * for anything, ? for one character. A usual glob makes an
 * expression of it that takes very long for some patterns; this is linear in the name for each star.
 */
export function fitsName(pattern: string, name: string): boolean {
  // The greedy way with one place to come back to: linear in the name for each star.
  let p = 0;
  let n = 0;
  let star = -1;
  let from = 0;
  while (n < name.length) {
    if (p < pattern.length && (pattern[p] === "?" || pattern[p] === name[n]) && pattern[p] !== "*") {
      p++;
      n++;
    } else if (pattern[p] === "*") {
      star = p++;
      from = n;
    } else if (star >= 0) {
      p = star + 1;
      n = ++from;
    } else return false;
  }
  while (pattern[p] === "*") p++;
  return p === pattern.length;
}
