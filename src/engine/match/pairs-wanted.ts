/** Which pairs of records are wanted. */
export interface PairsWanted {
  /** Incoming records, from this one to before that one; all unless said. */
  readonly from?: number;
  readonly to?: number;
  /** Only known records below this number. */
  readonly before?: number;
  readonly leastScore?: number;
  /** Only so many of each record's best. */
  readonly best?: number;
}
