import type { AfterAccount, HeldAccount, PeriodSums, SumAccount } from "@/store/period.ts";

/** What files have in them, as an account says it. */
export const CONTENTS: Readonly<Record<string, string>> = {
  accepted: "what was accepted",
  changed: "what was new or changed",
  records: "all that was read",
  held: "what was held",
  query: "what a query gave",
};

/** What does not add up in an account, in words; nothing where all of it does. */
export function openAccounts(
  sums: PeriodSums,
  held: HeldAccount,
  fields: readonly SumAccount[],
  after: readonly AfterAccount[] = [],
): string[] {
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
    ...after
      .filter((a) => a.state === "done" && a.expected !== null && a.records !== a.expected)
      .map((a) => `files with ${CONTENTS[a.what!]!} have ${a.records!} records, and the loads ${a.expected!}`),
  ];
}
