import type { RecordState } from "@/core/report/found-words.ts";

/** A record that is held, was, waits for a decision, or was left out. */
export interface FoundRecord {
  readonly feed: string;
  readonly title: string;
  readonly load: number;
  readonly record: number;
  readonly state: RecordState;
  readonly file: string | null;
  readonly line: number | null;
  readonly names: readonly string[];
  readonly values: readonly string[];
  readonly reason: string;
  readonly endedBy: string;
  readonly endedAt: Date | null;
}
