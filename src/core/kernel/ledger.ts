import { SieveError, grouped } from "./problem.ts";

/** Every outcome that a record can have, in the order in which a balance lists them. */
export const OUTCOMES = ["inserted", "updated", "unchanged", "merged", "held", "waiting", "left out"] as const;
export type Outcome = (typeof OUTCOMES)[number];

/** Where in the course a held record stayed behind. */
export const HELD_AT = ["read", "check", "load", "look up"] as const;
export type HeldAt = (typeof HELD_AT)[number];

/**
 * One byte of the ledger for each record. The low four bits are the outcome's number plus one (0:
 * not yet decided), the high four where a held record stayed behind.
 */
export const BYTE = {
  undecided: 0,
  inserted: 1,
  updated: 2,
  unchanged: 3,
  merged: 4,
  held: 5,
  waiting: 6,
  leftOut: 7,
} as const;

export function heldByte(at: HeldAt): number {
  return BYTE.held | (HELD_AT.indexOf(at) << 4);
}

export function outcomeOf(byte: number): Outcome | null {
  return OUTCOMES[(byte & 15) - 1] ?? null;
}

export function heldAtOf(byte: number): HeldAt | null {
  return (byte & 15) === BYTE.held ? HELD_AT[byte >> 4]! : null;
}

/** How many records a load read, and how many ended each way. */
export interface Balance {
  read: number;
  outcomes: Record<Outcome, number>;
  heldAt: Record<HeldAt, number>;
}

export function emptyBalance(): Balance {
  return {
    read: 0,
    outcomes: { inserted: 0, updated: 0, unchanged: 0, merged: 0, held: 0, waiting: 0, "left out": 0 },
    heldAt: { read: 0, check: 0, load: 0, "look up": 0 },
  };
}

/** Adds a block's bytes of the ledger to a balance. */
export function addToBalance(balance: Balance, bytes: Uint8Array): void {
  for (let i = 0; i < bytes.length; i++) {
    const byte = bytes[i]!;
    balance.read++;
    const outcome = outcomeOf(byte);
    if (outcome === null) throw new SieveError("ledger-open", `A record of the ledger has no outcome (byte ${byte}).`);
    balance.outcomes[outcome]++;
    const at = heldAtOf(byte);
    if (at) balance.heldAt[at]++;
  }
}

/** Throws `balance-open` unless records read = the sum of the outcomes. */
export function assertCloses(balance: Balance): void {
  const sum = OUTCOMES.reduce((n, o) => n + balance.outcomes[o], 0);
  const held = HELD_AT.reduce((n, at) => n + (balance.heldAt[at] ?? 0), 0);
  if (sum !== balance.read || held !== balance.outcomes.held) {
    throw new SieveError("balance-open", "The balance does not close.", {
      detail: `${balance.read} records were read and ${sum} have an outcome; ${balance.outcomes.held} are held and ${held} have a stage.`,
    });
  }
}

/** How many records end otherwise, from which outcome to which. */
export interface Transition {
  readonly from: Outcome;
  readonly to: Outcome;
  readonly count: number;
}

/**
 * What became of the same records in two ledgers, a byte for each record: every pair of outcomes
 * that occurs, those that stay as they are among them. Records that only one has are left out.
 */
export function transitions(before: Uint8Array, after: Uint8Array): Transition[] {
  const counts = new Uint32Array(256);
  const n = Math.min(before.length, after.length);
  for (let i = 0; i < n; i++) counts[((before[i]! & 15) << 4) | (after[i]! & 15)]!++;
  const found: Transition[] = [];
  for (const from of OUTCOMES) {
    for (const to of OUTCOMES) {
      const count = counts[((OUTCOMES.indexOf(from) + 1) << 4) | (OUTCOMES.indexOf(to) + 1)]!;
      if (count > 0) found.push({ from, to, count });
    }
  }
  return found;
}

/**
 * “20,112 read = 18,959 inserted + 388 updated + …”, outcomes of no record left out. `would`: “would be ” where
 * nothing was written.
 */
export function balanceLine(balance: Balance, would: "" | "would be " = ""): string {
  const parts = OUTCOMES.filter((o) => balance.outcomes[o] > 0).map(
    (o) => `${grouped(balance.outcomes[o])} ${would}${o}`,
  );
  return `${grouped(balance.read)} read = ${parts.join(" + ") || "0"}`;
}
