import { cellText } from "../kernel/bytes.ts";
import { NOT_OF_TYPE, VERDICT, isPassedOver } from "../kernel/verdict.ts";
import type { Asked } from "../lookup/look-up.ts";
import { LookUpTally, proposedEntry, type CompiledLookUp, type LookUpCounts } from "../lookup/compile.ts";
import type { Compiled } from "./compiled.ts";
import type { Work } from "./work.ts";

/** The look-ups of a plan over one block after the other, with how records came out of each. */
export class AskLists {
  private readonly tallies: LookUpTally[];

  constructor(private readonly compiled: Compiled) {
    this.tallies = compiled.lookUps.map(() => new LookUpTally());
  }

  /** Asks the reference lists, and fills what they bring. */
  run(work: Work): void {
    this.compiled.lookUps.forEach((l, i) => {
      const { ask, reference } = l;
      if (!ask || !reference) return;
      const asking = askedOf(work, l);
      if (ask.likeness?.isShared()) ask.likeness.ahead(asking.map(([, asked]) => asked));
      for (const [r, { values, day }] of asking) {
        const text = (f: number): string => cellText(work.heap, work.cells[f]!, r);
        const found = ask(values, day);
        this.tallies[i]!.add(found.result, values, found.entry);
        if (found.result === "none" && l.lookUp.none === "propose") {
          this.tallies[i]!.propose(proposedEntry(l, values, text));
        }
        if (found.result !== "empty") {
          fill(work, l.scoreIn, r, String(found.score));
          fill(work, l.leadIn, r, String(found.lead));
        }
        for (const { field, column, otherwise } of l.bring) {
          if (found.entry >= 0) {
            if (column >= 0) fill(work, field, r, reference.entries[found.entry]![column]!);
          } else if (otherwise !== null) fill(work, field, r, otherwise);
        }
        if (found.result === "none" || found.result === "several") notFound(work, l, r, found.result);
      }
    });
  }

  /** After the last block: how the records came out of each look-up. */
  counts(): LookUpCounts[] {
    return this.compiled.lookUps.flatMap((l, i) => (l.ask ? [this.tallies[i]!.finish(l)] : []));
  }
}

/** What the records of a block ask a look-up by, each with its record; one whose value is none of its type asks nothing. */
function askedOf(work: Work, l: CompiledLookUp): [record: number, asked: Asked][] {
  const asking: [number, Asked][] = [];
  records: for (let r = 0; r < work.count; r++) {
    if (isPassedOver(work.verdict[r]!)) continue;
    // A value that is no value of its type has been told of already.
    for (const f of l.asks) if (work.faults[f]![r] === NOT_OF_TYPE) continue records;
    const text = (f: number): string => cellText(work.heap, work.cells[f]!, r);
    asking.push([r, { values: l.asks.map(text), day: l.on < 0 ? "" : text(l.on) }]);
  }
  return asking;
}

/** Puts a text into the cell of a field, -1 for none. */
function fill(work: Work, f: number, r: number, value: string): void {
  if (f < 0 || value === cellText(work.heap, work.cells[f]!, r)) return;
  work.set(f, r, value);
  work.changed[f]![r] = 1;
}

/** A record for which no entry was found, or several, as the look-up would have it. */
function notFound(work: Work, l: CompiledLookUp, r: number, result: "none" | "several"): void {
  const policy = result === "none" ? l.lookUp.none : l.lookUp.several;
  const check = result === "none" ? l.noneCheck : l.severalCheck;
  if (policy === "pass" || check < 0) return;
  const { verdict, cells, faults } = work;
  work.fault(l.asks[0]!, r);
  if (policy !== "note" && policy !== "propose") {
    if (verdict[r] === VERDICT.passes) verdict[r] = VERDICT.unmatched;
    // What was not brought is not told of again as empty.
    for (const f of l.fills) if (cells[f]!.start[r] === cells[f]!.end[r]) faults[f]![r] = NOT_OF_TYPE;
  }
  work.note(r, check);
}
