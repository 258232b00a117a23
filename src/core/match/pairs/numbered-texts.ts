/** Basis and prime of FNV-1a (Fowler, Noll and Vo, 1991). */
const BASIS = 0x811c9dc5;
const PRIME = 0x01000193;

/** Where a hash is looked for first in a table of a power of two slots: its upper bits, which hang on all letters. */
const slotOf = (hash: number, slots: Int32Array): number => (hash ^ (hash >>> 15)) & (slots.length - 1);

/** So many slots are looked at; what is made so that all of it has one hash must not hold up anybody. */
const MOST_PROBED = 64;

/**
 * Texts, each once, with a number, found by a hash of their letters in a table that is probed slot by slot (linear
 * probing; Knuth, 1973). Where most texts are new, as names are, it takes half to two thirds of a `Map`'s time, which hashes what it
 * is asked for twice and whose entries are all moved as it grows. Number 0 is the empty text.
 */
export class NumberedTexts {
  readonly texts: string[] = [""];
  private hashes = new Int32Array(512);
  /** Numbers of texts, 0 where there is none; never more than half full. */
  private slots = new Int32Array(1024);
  /** Those whose slot is too far from where it is looked for. */
  private readonly far = new Map<string, number>();

  /** The number of a text, which is put to the others where it is new. */
  of(text: string): number {
    if (text === "") return 0;
    let hash = BASIS;
    for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), PRIME);
    const { slots, hashes, texts } = this;
    const last = slots.length - 1;
    let at = slotOf(hash, slots);
    let probed = 0;
    for (let n = slots[at]!; n !== 0 && probed < MOST_PROBED; n = slots[at]!) {
      if (hashes[n] === hash && texts[n] === text) return n;
      at = (at + 1) & last;
      probed++;
    }
    const isFar = probed === MOST_PROBED;
    const known = isFar ? this.far.get(text) : undefined;
    if (known !== undefined) return known;
    const n = texts.length;
    texts.push(text);
    if (isFar) this.far.set(text, n);
    else slots[at] = n;
    if (n < hashes.length) hashes[n] = hash;
    else this.grow(hash);
    return n;
  }

  private grow(hash: number): void {
    const { hashes } = this;
    this.hashes = new Int32Array(hashes.length * 2);
    this.hashes.set(hashes);
    this.hashes[hashes.length] = hash;
    const slots = new Int32Array(this.slots.length * 2);
    for (let n = 1; n <= hashes.length; n++) {
      let at = slotOf(this.hashes[n]!, slots);
      let probed = 0;
      for (; slots[at] !== 0 && probed < MOST_PROBED; probed++) at = (at + 1) & (slots.length - 1);
      if (probed < MOST_PROBED) slots[at] = n;
      else this.far.set(this.texts[n]!, n);
    }
    this.slots = slots;
  }

  /** Takes the texts of another thread, which are in the order of its numbers and can't be found here. */
  take(texts: readonly string[]): void {
    for (let i = 1; i < texts.length; i++) this.texts.push(texts[i]!);
  }

  /** Lets go of all texts. */
  clear(): void {
    this.texts.length = 1;
    this.far.clear();
    this.hashes = new Int32Array(512);
    this.slots = new Int32Array(1024);
  }
}

/**
 * Words within texts, each with a number, found without being cut out: by two hashes of their letters. Two words that
 * have both alike are taken for one; among 130,000 words that is to be expected once in a thousand million tables.
 */
export class NumberedWords {
  length = 0;
  private readonly slots: Int32Array;
  private readonly first: Int32Array;
  private readonly second: Int32Array;
  /** Of the word that was asked for last: where it ends, and whether it is new. After `most` all are forgotten, and numbers begin anew. */
  end = 0;
  fresh = false;

  /** `most`: how many words there can be. */
  constructor(readonly most: number) {
    this.slots = new Int32Array(2 ** Math.ceil(Math.log2(most * 2)));
    this.first = new Int32Array(most);
    this.second = new Int32Array(most);
  }

  /** The number of the word of a text that begins at a place and ends before the next blank. */
  of(text: string, from: number): number {
    let [a, b] = [BASIS, 0];
    let i = from;
    for (; i < text.length; i++) {
      const letter = text.charCodeAt(i);
      if (letter === 32) break;
      a = Math.imul(a ^ letter, PRIME);
      b = Math.imul(b + letter, 0x9e3779b1);
      b ^= b >>> 15;
    }
    this.end = i;
    const { slots, first, second } = this;
    let at = slotOf(a, slots);
    let probed = 0;
    for (let n = slots[at]! - 1; n >= 0 && probed < MOST_PROBED; n = slots[at]! - 1) {
      if (first[n] === a && second[n] === b) {
        this.fresh = false;
        return n;
      }
      at = (at + 1) & (slots.length - 1);
      probed++;
    }
    // Too many of one hash: the first of them is forgotten.
    if (probed === MOST_PROBED) at = slotOf(a, slots);
    this.fresh = true;
    if (this.length === this.most) {
      this.length = 0;
      slots.fill(0);
      at = slotOf(a, slots);
    }
    const n = this.length++;
    slots[at] = n + 1;
    first[n] = a;
    second[n] = b;
    return n;
  }
}
