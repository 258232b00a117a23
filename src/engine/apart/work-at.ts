/** How far a piece of work on many records is: so many of so many, at one of its stages. */
export interface WorkAt {
  readonly stage: string;
  readonly done: number;
  readonly of: number;
}
