import { isControlFile } from "../gate/control-totals.ts";
import type { UnreadableReason } from "../kernel/block.ts";
import { concat } from "../kernel/bytes.ts";
import { fitsName } from "../kernel/file-name.ts";
import { SieveError, counted, listed } from "../kernel/problem.ts";
import { VERDICT } from "../kernel/verdict.ts";
import type { Plan, ReadSection } from "../plan/document.ts";
import type { FileFacts } from "../read/facts.ts";
import type { SourceFile, Spool } from "../read/part.ts";
import { openFile, type PartCounter } from "../read/source.ts";
import { footDoubt } from "../read/total.ts";
import type { Course } from "./course.ts";
import { arrivedCells } from "./of-record.ts";
import type { Sifted } from "./sifted.ts";

/** Takes one file through the course; gives the blocks of all its parts as sifted, and the facts of each part when all is read. */
export async function* siftFile(
  course: Course,
  file: SourceFile,
  position: number,
  read: ReadSection,
  spool: Spool,
  parts: PartCounter = { next: position },
): AsyncGenerator<Sifted, FileFacts[]> {
  const all: FileFacts[] = [];
  const { plan } = course.compiled;
  if (isSideFile(plan, file.name)) {
    if (isControlFile(plan.gates, file.name)) course.controls.push({ name: file.name, text: await sideText(file) });
    // To its end, for it may come from where it can be asked for once.
    else if (file.once) for await (const _ of file.chunks());
    return all;
  }
  try {
    for await (const opened of openFile(file, read, spool, parts)) {
      course.openFile([...opened.columns()]);
      course.resumable = opened.resumable;
      course.fileName = opened.name;
      const facts = {
        name: opened.name,
        position,
        bytes: file.bytes,
        resumable: opened.resumable,
        read: opened.options,
        evidence: opened.evidence,
        ...(opened.doubts ? { doubts: opened.doubts } : {}),
        records: 0,
        unreadable: {} as Partial<Record<UnreadableReason, number>>,
      };
      let checked = false;
      let last: ReturnType<typeof lastLoaded> = null;
      for await (const block of opened.blocks) {
        // Documents bring new columns as they come.
        if (opened.columns().length !== course.columns.length) course.setColumns([...opened.columns()]);
        if (!checked) {
          checked = true;
          refuseWhereNothingFits(course, opened.name);
        }
        facts.records += block.count;
        for (const { reason } of block.unreadable.values()) {
          facts.unreadable[reason] = (facts.unreadable[reason] ?? 0) + 1;
        }
        const sifted = course.run(block);
        last = lastLoaded(sifted);
        yield sifted;
      }
      const foot = last && footDoubt(last.cells, last.usual);
      if (!checked) {
        course.setColumns([...opened.columns()]);
        refuseWhereNothingFits(course, opened.name);
      }
      const trailer = opened.trailer?.() ?? "";
      if (trailer !== "") course.controls.push({ name: opened.name, text: trailer });
      all.push({
        ...facts,
        ...(foot ? { doubts: [...(opened.doubts ?? []), foot] } : {}),
        evidence: { ...facts.evidence, ...Object.fromEntries(course.told) },
        columns: [...course.columns],
        extra: course.mapping.extra,
        missing: course.columns.length > 0 ? course.mapping.missing : [],
      });
    }
  } catch (error) {
    if (!(error instanceof SieveError) || error.message.includes(file.name)) throw error;
    throw new SieveError(error.code, `${file.name}: ${error.message}`, { detail: error.detail, hint: error.hint });
  }
  return all;
}

/** Records before a last one that it is held against. */
const HELD_AGAINST = 20;

/** The cells of a block's last record as they came, where it is not held, and how many those before it have filled at least. */
function lastLoaded({ block, verdict }: Sifted): { cells: readonly string[]; usual: number } | null {
  const r = block.count - 1;
  if (verdict[r] !== VERDICT.passes && verdict[r] !== VERDICT.suspect) return null;
  const before = Array.from({ length: Math.min(HELD_AGAINST, r) }, (_, i) => arrivedCells(block, r - 1 - i));
  const counts = before.map((cells) => cells.filter((c) => c.trim() !== "").length);
  return { cells: arrivedCells(block, r), usual: counts.length > 0 ? Math.min(...counts) : 0 };
}

/** Bytes of a side file that are looked at. */
const SIDE_BYTES = 1 << 16;

/** Whether a file of a delivery has no records of its own: it is control totals, or the list of a look-up. */
export function isSideFile(plan: Pick<Plan, "gates" | "lookup">, name: string): boolean {
  return (
    isControlFile(plan.gates, name) || (plan.lookup ?? []).some((l) => l.file !== undefined && fitsName(l.file, name))
  );
}

async function sideText(file: SourceFile): Promise<string> {
  const parts: Uint8Array[] = [];
  let bytes = 0;
  // Read to its end, for it may come from where it can be asked for once.
  for await (const chunk of file.chunks()) {
    if (bytes < SIDE_BYTES) parts.push(chunk.slice(0, SIDE_BYTES - bytes));
    bytes += chunk.length;
  }
  return new TextDecoder().decode(concat(parts));
}

function refuseWhereNothingFits(course: Course, name: string): void {
  const { columns, mapping } = course;
  if (columns.length === 0 || mapping.column.some((c) => c !== -1)) return;
  throw new SieveError("no-column-fits", `No column of ${name} is a field of the plan.`, {
    detail: `Its ${counted(columns.length, "column")}: ${listed(columns)}. The plan's fields: ${listed(mapping.missing)}.`,
    hint: "Check that the file belongs to this feed, its delimiter and its header line; or give the fields the names of these columns under “also”.",
  });
}
