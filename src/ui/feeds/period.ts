import type { HeldAccount, PeriodSums, SumAccount } from "@/store/period.ts";

/** What does not add up in an account, in words; nothing where all of it does. */
export function openAccounts(sums: PeriodSums, held: HeldAccount, fields: readonly SumAccount[]): string[] {
  const outcomes =
    sums.inserted + sums.updated + sums.unchanged + sums.merged + sums.held + sums.waiting + sums.leftOut;
  const went = Object.values(held.went).reduce((n, w) => n + w, 0);
  return [
    ...(sums.read === outcomes ? [] : [`${sums.read} records were read, and ${outcomes} have an outcome`]),
    ...(held.atStart + held.came - went === held.atEnd
      ? []
      : [`${held.atStart} held, ${held.came} more and ${went} fewer are not ${held.atEnd}`]),
    ...fields
      .filter((f) => f.ledger !== f.target)
      .map((f) => `the sum of ${f.field} is ${f.ledger} by the ledger and ${f.target} in the target`),
  ];
}
