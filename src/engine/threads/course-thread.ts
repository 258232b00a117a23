import { availableParallelism } from "node:os";
import { parentPort } from "node:worker_threads";
import { BYTE, heldByte } from "@/core/kernel/ledger.ts";
import { leftValues } from "@/core/course/left-values.ts";
import { SendersSeen } from "@/core/course/senders-seen.ts";
import { mergeTally, newTally, type Tally } from "@/core/course/tally.ts";
import { Figures } from "@/core/report/figures/figures.ts";
import { ProfileFold } from "@/core/profile/profile.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { DETECT_BYTES } from "@/core/read/detect.ts";
import { packBlock } from "@/core/read/packed.ts";
import { siftFile } from "@/core/course/files.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import { takeMarks, type Returned } from "@/core/mend/for-sender.ts";
import { Course } from "@/core/course/course.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import { copyDelimiter, copyRows, moreOf } from "../load/copy-rows.ts";
import { heldRow } from "../load/held-rows.ts";
import { LookUpBeside } from "./look-up-beside.ts";
import { FileSpill, fileSpool } from "./spool.ts";
import type { FromThread, HeldRow, ThreadStart, ToThread } from "./messages.ts";

/** The thread that takes a load's bytes through the course. It has no connection to the store. */

const port = parentPort!;

const waiting: ToThread[] = [];
let wake: (() => void) | null = null;
/** Blocks that are on their way to being staged at most: a small file may unpack to very many. */
const MOST_UNDERWAY = 6;
let underway = 0;
let room: (() => void) | null = null;

port.on("message", (message: ToThread) => {
  if (message.type === "took-block") {
    underway--;
    room?.();
    return;
  }
  if (message.type === "spent") {
    if (spare.length < MOST_SPARE) spare.push(message.memory);
    return;
  }
  waiting.push(message);
  wake?.();
});

async function next(): Promise<ToThread> {
  while (waiting.length === 0) {
    await new Promise<void>((resolve) => {
      wake = resolve;
    });
  }
  return waiting.shift()!;
}

function say(message: FromThread, transfer: ArrayBuffer[] = []): void {
  port.postMessage(message, transfer);
}

/** Memory of rows that the database has taken. */
const spare: ArrayBuffer[] = [];
const MOST_SPARE = 4;

/** Bytes of the load's delivery that have come so far. */
let bytesRead = 0;

async function* chunks(): AsyncGenerator<Uint8Array> {
  for (;;) {
    const message = await next();
    if (message.type !== "chunk") return;
    bytesRead += message.bytes.length;
    yield message.bytes;
    // The reader has its own copy by now, but of a file so short that it is still looking for its end.
    const memory = message.bytes.buffer as ArrayBuffer;
    if (message.bytes.length < DETECT_BYTES) say({ type: "took-chunk", memory: new ArrayBuffer(0) });
    else say({ type: "took-chunk", memory }, [memory]);
  }
}

function sendBlock(course: Course, sifted: Sifted, total: Tally, leave: boolean): void {
  const { compiled, resumable } = course;
  const { block, verdict, first } = sifted;
  const outcomes = new Uint8Array(block.count);
  const held: HeldRow[] = [];
  for (let r = 0; r < block.count; r++) {
    switch (verdict[r]) {
      case VERDICT.passes:
        outcomes[r] = BYTE.inserted;
        break;
      case VERDICT.leftOut:
        outcomes[r] = BYTE.leftOut;
        break;
      case VERDICT.unreadable:
        outcomes[r] = heldByte("read");
        held.push(heldRow(sifted, compiled, r, "read"));
        break;
      default: {
        const at = verdict[r] === VERDICT.unmatched ? "look up" : "check";
        outcomes[r] = heldByte(at);
        held.push(heldRow(sifted, compiled, r, at));
      }
    }
  }
  mergeTally(total, sifted.tally);
  const copy = copyRows(sifted, copyDelimiter(compiled.plan.read.delimiter), {
    memory: spare.pop(),
    more: moreOf(course, sifted, leave),
  });
  const { origin } = block;
  const left = leftValues(sifted);
  const packed = resumable ? null : (packBlock(block) as Uint8Array<ArrayBuffer>);
  say(
    {
      type: "block",
      file: block.file,
      firstRecord: first,
      firstInFile: block.first,
      line: origin.line[0]!,
      byteStart: origin.start[0]!,
      byteEnd: origin.end[block.count - 1]!,
      outcomes,
      tally: sifted.tally,
      carry: sifted.carry,
      copy,
      held: held.length > 0 ? JSON.stringify(held) : "",
      heldCount: held.length,
      packed,
      left,
      bytesRead,
    },
    [copy, outcomes, packed, left].flatMap((list) => list?.buffer ?? []),
  );
}

/** Entries of a list from which on what is nearest is found by two threads, where there are processors for them. */
const LEAST_SHARED = 1_000;

/** Has each look-up by score in a long list shared with a thread of its own. */
function shareLookUps({ lookUps }: Compiled): LookUpBeside[] {
  if (availableParallelism() < 2) return [];
  return lookUps.flatMap(({ ask, lookUp, reference }) => {
    if (!ask?.likeness || !reference || reference.entries.length < LEAST_SHARED) return [];
    const beside = new LookUpBeside(new URL("./look-up-thread.js", import.meta.url), { lookUp, reference });
    ask.likeness.shareWith(beside);
    return [beside];
  });
}

async function runLoad({ plan, references, inputs, leave, expected }: ThreadStart): Promise<void> {
  const compiled = compilePlan(parsePlan(plan), new Map(references.map((r) => [r.name, r])), inputs);
  const total = newTally(compiled);
  const besides = shareLookUps(compiled);
  const spill = new FileSpill();
  const { spool, close } = fileSpool();
  const parts = { next: 0 };
  bytesRead = 0;
  underway = 0;
  try {
    const course = new Course(compiled, { spill, expected, distinct: true });
    const extras = plan.map.extra === "leave" ? null : new ProfileFold(spill, expected);
    const files: FileFacts[] = [];
    const figures = new Figures(compiled);
    const returned: Returned[] = [];
    const senders = new SendersSeen(compiled);
    for (;;) {
      const message = await next();
      if (message.type === "end") break;
      if (message.type !== "file") continue;
      const source = { name: message.name, bytes: message.bytes, chunks, once: true as const };
      const blocks = siftFile(course, source, message.index, plan.read, spool, parts);
      for (;;) {
        const step = await blocks.next();
        if (step.done) {
          files.push(...step.value);
          break;
        }
        const { extra } = course.mapping;
        if (extras && extra.length > 0) extras.add(step.value.block, course.columns, new Set(extra));
        figures.add(step.value);
        senders.add(step.value);
        takeMarks(step.value.block, course.columns, step.value.first, returned);
        sendBlock(course, step.value, total, leave);
        underway++;
        while (underway >= MOST_UNDERWAY) {
          await new Promise<void>((resolve) => {
            room = resolve;
          });
        }
      }
    }
    for (const { check, found } of course.resolveLate()) {
      say({ type: "late", check: compiled.checks[check]!.key, found });
    }
    say({
      type: "done",
      files,
      distinct: course.distinct.map((d) => d.finish()),
      tally: total,
      extras: extras?.finish() ?? null,
      codes: course.codes(),
      lookUps: course.lookUpCounts(),
      figures: figures.finish(),
      controls: course.controls,
      returned,
      senders: senders.finish(),
    });
  } finally {
    for (const beside of besides) await beside.end();
    spill.close();
    await close();
  }
}

// One load after another, until one ends badly: then the thread ends too.
try {
  for (;;) {
    const message = await next();
    if (message.type === "begin") await runLoad(message);
  }
} catch (error) {
  if (error instanceof SieveError) {
    say({ type: "failed", code: error.code, message: error.message, detail: error.detail, hint: error.hint });
    port.close();
  } else throw error;
}
