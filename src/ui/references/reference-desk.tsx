"use client";

import { useRouter } from "next/navigation";
import { useReducer } from "react";
import { bringListIn, changeEntries, refuseProposal } from "@/routes/references.ts";
import type { Proposal, ReferenceInfo, ReferenceVersion } from "@/store/references.ts";
import { ask } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { NoteForm } from "../kit/note-form.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { withPath } from "../kit/with-path.ts";
import { counted } from "../kit/words.ts";
import { WhereAsked } from "./asked-list.tsx";
import { AskedInVain, Proposals, Versions, WhereUsed, type UsedBy } from "./about-list.tsx";
import { NO_DRAFT, changeWords, changesOf, nextDraft } from "./draft.ts";
import { EntryTable, type FoundEntries } from "./entry-table.tsx";

/** A reference list: its entries to be searched and changed, its versions, where it is used, and what was asked of it in vain. */
export function ReferenceDesk({
  info,
  versions,
  used,
  first,
  asked,
  proposed,
  now,
}: {
  info: ReferenceInfo;
  versions: ReferenceVersion[];
  used: UsedBy[];
  first: FoundEntries;
  asked: { values: string[]; count: number; feed: string; lookUp: string }[];
  proposed: Proposal[];
  now: string;
}) {
  const router = useRouter();
  const [draft, tell] = useReducer(nextDraft, NO_DRAFT);
  const { busy, problem, act } = useAct();
  const { replacing } = draft;
  const words = changeWords(draft);

  const save = async (note: string): Promise<void> => {
    await act(
      async () => {
        const params = { list: info.name };
        if (replacing) await ask(bringListIn, { params, query: { file: replacing.name, note }, file: replacing });
        else {
          const { add, remove } = changesOf(draft);
          const body = { from: info.version, add: add.map((cells) => [...cells]), remove, note };
          await ask(changeEntries, { params, body });
        }
        router.refresh();
      },
      { leaves: true },
    );
  };
  const refuse = async ({ id }: Proposal): Promise<void> => {
    const done = await act(() => ask(refuseProposal, { params: { list: info.name }, body: { id } }).then(() => {}));
    if (done) tell({ does: "refuse", proposal: id });
  };
  return (
    <>
      <p className="faint">
        <Link href="/references">References</Link> / {info.name}
      </p>
      <div className="flex items-end justify-between gap-4">
        <h1>
          {info.title}: {counted(info.entries, "entry", "entries")}, version {info.version}
        </h1>
        <div className="flex items-center gap-4">
          <a className="plain" href={withPath(`/api/references/${info.name}/file`)}>
            As CSV
          </a>
          {!info.asked && (
            <label className="plain cursor-pointer">
              Replace by a file…
              <input
                type="file"
                className="sr-only"
                onChange={(e) => tell({ does: "replace", file: e.target.files?.[0] ?? null })}
              />
            </label>
          )}
          {!info.asked && (
            <button
              type="button"
              className="btn btn-line"
              onClick={() => tell({ does: "add", cells: info.shape.columns.map(() => "") })}
            >
              Add an entry
            </button>
          )}
        </div>
      </div>
      {info.about && <p>{info.about}</p>}
      {info.asked && <WhereAsked info={info} asked={info.asked} now={now} />}
      {problem && <ProblemNote problem={problem} />}
      {(words !== "" || replacing) && (
        <NoteForm
          tone="pine"
          label={
            replacing ? `All entries become those of ${replacing.name}; what is the same stays. Why` : `${words}. Why`
          }
          submit={`Save as version ${info.version + 1}`}
          ready={!busy}
          back={{ says: "Forget that", go: () => tell({ does: "forget" }) }}
          save={save}
        />
      )}
      <div className="mt-3 grid grid-cols-1 gap-6 lg:grid-cols-[minmax(0,1fr)_20rem]">
        <EntryTable {...{ info, first, draft, tell }} />
        <aside className="min-w-0">
          <WhereUsed used={used} />
          <Proposals
            kept={!info.asked}
            waiting={proposed.filter((p) => !draft.taken.has(p.id))}
            add={(p) => tell({ does: "add", cells: p.cells, proposal: p.id })}
            refuse={(p) => void refuse(p)}
          />
          <AskedInVain {...{ asked, info, tell }} />
          <Versions {...{ versions, info }} />
        </aside>
      </div>
    </>
  );
}
