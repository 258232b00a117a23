/** Whether a file's name fits a pattern in which * stands for anything. */
export function fitsName(pattern: string, name: string): boolean {
  const parts = pattern.split("*");
  if (parts.length === 1) return name === pattern;
  let at = 0;
  for (const [i, part] of parts.entries()) {
    const found = i === parts.length - 1 ? name.length - part.length : name.indexOf(part, at);
    if (found < at || (i === 0 && found !== 0) || !name.startsWith(part, found)) return false;
    at = found + part.length;
  }
  return true;
}
