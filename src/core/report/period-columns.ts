/** What an account of a period counts of its loads, with the words for each. */
export const PERIOD_COLUMNS = [
  ["read", "read"],
  ["inserted", "inserted"],
  ["updated", "updated"],
  ["unchanged", "unchanged"],
  ["merged", "merged"],
  ["held", "held"],
  ["waiting", "waiting"],
  ["leftOut", "left out"],
] as const;
