type Numbers = Int32Array | Float32Array | Uint16Array | Uint8Array;

/** The numbers of a list in a longer one, with zeros behind them. */
export function grown<T extends Numbers>(list: T, length: number): T {
  const longer = new (list.constructor as new (length: number) => T)(length);
  longer.set(list);
  return longer;
}

/** Lists one after the other. @param room makes a list of so many numbers */
export function joined<T extends Numbers>(lists: readonly T[], room: (length: number) => T): T {
  const all = room(lists.reduce((n, list) => n + list.length, 0));
  let at = 0;
  for (const list of lists) {
    all.set(list, at);
    at += list.length;
  }
  return all;
}
