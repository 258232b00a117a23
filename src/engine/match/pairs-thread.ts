import { parentPort } from "node:worker_threads";
import type { FoundAhead } from "@/core/match/pairs/ahead.ts";
import { IndexPart, type FeatureRows, type IndexRows } from "@/core/match/pairs/index-rows.ts";
import { Matcher, type Looking, type Meeting, type Pairs, type SharedRecords } from "@/core/match/match.ts";
import type { Pool, Share } from "@/core/match/pairs/draw.ts";
import { fitsOf, type FitTask } from "@/core/match/model/estimate.ts";
import type { Fit } from "@/core/match/model/kinds.ts";
import type { PairModel } from "@/core/match/model/model.ts";
import { NumbersRecords, type NumberedRecords } from "@/core/match/pairs/numbered.ts";
import { sharedMemory } from "@/core/match/pairs/table.ts";
import type { MatchField } from "@/core/match/schema.ts";
import type { PairsWanted } from "./pairs-wanted.ts";

/** The thread that does its share of a match beside the one that asks it to: it answers calls, one after the other. */
const port = parentPort!;
let matcher!: Matcher;
let numbers!: NumbersRecords;
let part: IndexPart | null = null;
let meetings: readonly Meeting[] = [];
/** How many batches of records have been made plain, where the other thread can see it without being told. */
let done!: Int32Array;

const calls = {
  begin(fields: readonly MatchField[], among: boolean, counter: Int32Array): void {
    matcher = new Matcher(fields, { among });
    numbers = new NumbersRecords(matcher.values);
    meetings = [];
    done = counter;
  },
  /** Makes records plain. */
  number(cells: readonly string[]): NumberedRecords {
    const numbered = numbers.numbered(cells);
    Atomics.add(done, 0, 1);
    return numbered;
  },
  /** Takes all records, of both threads, but for the texts of their values. */
  records(shared: SharedRecords): void {
    matcher.takeRecords(shared);
  },
  /** Counts the features of some known records; gives those that the index keeps of each. */
  count(from: number, to: number, counts: Int32Array): FeatureRows[] {
    part = new IndexPart(matcher.known, from, to, counts);
    return part.features(sharedMemory);
  },
  /** Puts these records into the rows of the index. */
  fill(entries: Int32Array): void {
    part!.fill(entries);
    part = null;
  },
  /** Takes the whole index, and all that is needed to compare records. */
  index(rows: IndexRows, texts: readonly (readonly string[])[]): void {
    matcher.values.forEach((v, f) => v.takeTexts(texts[f]!));
    matcher.prepare(rows);
  },
  /** Keeps candidates where the other thread finds them too. */
  keep(ahead: FoundAhead): void {
    matcher.keepAhead(ahead);
  },
  /** The ways in which the records meet whose pairs are drawn next. */
  meet(looking: Looking): void {
    meetings = matcher.meetings(looking);
  },
  /** Draws pairs of one of the ways in which records meet, a share or all. */
  draw(meeting: number, share?: Share): Pool {
    return matcher.draw(meetings, meeting, share);
  },
  fits(task: FitTask): Fit[] {
    return fitsOf(task);
  },
  /** Finds candidates until the other thread has its model. */
  ahead(): void {
    matcher.findAhead();
  },
  use(model: PairModel): void {
    matcher.use(model);
  },
  pairs(wanted: PairsWanted): Pairs {
    return matcher.pairs(wanted);
  },
  /** Lets go of all memory. */
  end(): void {
    calls.begin([], true, done);
  },
};

export type PairsCalls = typeof calls;
export interface PairsCall {
  readonly name: keyof PairsCalls;
  readonly args: readonly unknown[];
}

/** The memory of an answer, which is handed over instead of being copied. */
function memoryOf(answer: unknown): ArrayBuffer[] {
  if (ArrayBuffer.isView(answer)) return answer.buffer instanceof ArrayBuffer ? [answer.buffer] : [];
  if (Array.isArray(answer) && typeof answer[0] === "string") return [];
  return typeof answer === "object" && answer !== null ? Object.values(answer).flatMap(memoryOf) : [];
}

port.on("message", ({ name, args }: PairsCall) => {
  const answer = (calls[name] as (...args: readonly unknown[]) => unknown)(...args);
  port.postMessage(answer, memoryOf(answer));
});
