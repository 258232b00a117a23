import { apart } from "@/engine/apart/apart.ts";
import { cannotUndoAny } from "@/engine/undo/kept.ts";
import { planOf, victimsOf } from "@/engine/undo/rows.ts";
import { LEFT_BECAUSE } from "@/core/kernel/writing.ts";
import { z } from "zod";
import { previewFilter } from "@/routes/writings.ts";
import { getWriting } from "@/store/writings.ts";
import { UndoDesk } from "@/ui/loads/undo-desk.tsx";
import { didWords, tableWords, writingWords } from "@/ui/loads/writing-list.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { moment } from "@/ui/kit/words.ts";
import { orNotThere } from "../../or-not-there.ts";
import { db, wholeNumber } from "../../server.ts";

export async function generateMetadata({ params }: { params: Promise<{ id: string }> }) {
  return { title: `Writing ${(await params).id}` };
}

/** One change of a target, and what undoing it would do, row by row. */
export default async function WritingPage({
  params,
  searchParams,
}: {
  params: Promise<{ id: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const writing = await orNotThere(params.then(({ id }) => getWriting(db(), wholeNumber(id, "The writing"))));
  const parsed = z.object(previewFilter).safeParse(await searchParams);
  const asked = parsed.success ? parsed.data : z.object(previewFilter).parse({});
  const [fault, { load }] = await Promise.all([
    victimsOf(db(), writing).then((along) => cannotUndoAny(db(), writing, along)),
    planOf(db(), writing),
  ]);
  const preview = fault
    ? null
    : await apart("preview of an undo", { writing: writing.id, filter: { ...asked, needed: true } });
  // What needs a person is shown first.
  const leaves = preview === null ? [] : LEFT_BECAUSE.filter((b) => preview.left[b] > 0);
  const first = leaves.length === 1 ? leaves[0] : leaves.length > 1 ? ("any" as const) : undefined;
  const filter = { does: asked.does, left: asked.left ?? (asked.does ? undefined : first) };
  const now = new Date();
  return (
    <>
      <p className="faint">
        <Link href={`/feeds/${writing.feed}`}>{writing.feed}</Link> /{" "}
        <Link href={`/feeds/${writing.feed}/writings`}>writings</Link>
      </p>
      <h1>
        Writing {writing.id}: {writingWords(writing)}
      </h1>
      <p>
        <b>{didWords(writing)}</b> in {tableWords(writing.target)}
        <span className="faint">
          {" "}
          · {writing.by}, {moment(writing.at, now)}
          {writing.reason !== "" && `: “${writing.reason}”`} ·{" "}
        </span>
        <Link className="underline" href={`/loads/${writing.load}`}>
          load {writing.load}
        </Link>
      </p>
      {writing.undoneBy !== null && (
        <p className="mt-1">
          Undone by{" "}
          <Link className="underline" href={`/writings/${writing.undoneBy}`}>
            writing {writing.undoneBy}
          </Link>
          .
        </p>
      )}
      {fault && (
        <p className="mt-3">
          <b>It can’t be undone.</b> {fault.message} <span className="faint">{fault.hint}</span>
        </p>
      )}
      <UndoDesk
        // What is asked for, and not what is then shown first: that is another once something is undone.
        key={`${writing.id} ${asked.does} ${asked.left}`}
        preview={JSON.parse(JSON.stringify(preview)) as typeof preview}
        filter={filter}
        keyNames={load.key}
      />
    </>
  );
}
