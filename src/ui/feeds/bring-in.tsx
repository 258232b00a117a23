"use client";

import { loadDelivery } from "@/routes/deliveries.ts";
import { useRouter } from "next/navigation";
import { useRef, useState } from "react";
import { ask, problemOf, type ApiProblem } from "../kit/api.ts";
import { FilePicker, FileRows, beginFeed, sendFiles, titleOf, useDrop } from "../kit/files.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { counted } from "../kit/words.ts";
import { withPath } from "../kit/with-path.ts";

/** Files that are under way, and how many of them have been received. */
interface Sending {
  readonly files: readonly File[];
  readonly sent: number;
}

interface FeedName {
  readonly name: string;
  readonly title: string;
}

/** Stands among the names of feeds for one that is still to be made. */
const NEW = "+";

/**
 * Takes files by a click or dropped anywhere on the page, sends them as one delivery of a feed, and
 * opens the load. What was loaded before is refused with the way to the earlier load.
 */
export function BringIn({ feeds, feed: only }: { feeds: FeedName[]; feed?: string }) {
  const dialog = useRef<HTMLDialogElement>(null);
  const [files, setFiles] = useState<File[]>([]);
  const [feed, setFeed] = useState(only ?? feeds[0]?.name ?? NEW);
  const [sender, setSender] = useState("");
  const { sending, problem, setProblem, send, again, stop } = useSending(feeds, () => dialog.current?.close());
  const over = useDrop(add);

  function add(more: File[]): void {
    setProblem(null);
    setFiles((have) => [...have, ...more]);
    if (!dialog.current?.open) dialog.current?.showModal();
  }

  const close = (): void => {
    stop();
    setFiles([]);
    setProblem(null);
    dialog.current?.close();
  };

  return (
    <>
      {over && (
        <div
          className="pointer-events-none fixed inset-0 z-50 flex items-center justify-center border-4 border-dashed border-[var(--pine)] bg-[var(--paper)]/85 text-xl font-bold"
          aria-hidden="true"
        >
          Drop the files of one delivery here
        </div>
      )}
      <button type="button" className="btn btn-primary" onClick={() => add([])}>
        Bring in files…
      </button>
      <dialog
        ref={dialog}
        onClose={close}
        className="m-auto w-[34rem] max-w-full border border-[var(--ink)] bg-[var(--paper)] p-5 text-[var(--ink)] backdrop:bg-black/40"
      >
        <p className="mb-3 text-lg font-bold">Bring in a delivery</p>
        <ToFeed {...{ feeds, only, feed, setFeed, sender, setSender }} />
        <FileRows
          files={sending?.files ?? files}
          sent={sending?.sent ?? null}
          takeOut={(i) => setFiles(files.filter((_, k) => k !== i))}
        />
        <div className="mt-2">
          <FilePicker label="Files" add={add} disabled={sending !== null}>
            {files.length === 0
              ? "Choose files, or drop them anywhere on this page"
              : "Add more files to this delivery"}
          </FilePicker>
        </div>
        {problem && (
          <ProblemNote problem={problem}>
            {problem.load !== undefined && (
              <p className="mt-1 flex gap-4">
                <a className="plain" href={withPath(`/loads/${problem.load}`)}>
                  Open load {problem.load}
                </a>
                <button type="button" className="plain" onClick={() => void again()}>
                  Load it again all the same
                </button>
              </p>
            )}
          </ProblemNote>
        )}
        <div className="mt-4 flex justify-end gap-3">
          <button type="button" className="btn btn-line" onClick={close}>
            {sending ? "Stop sending" : "Close"}
          </button>
          <button
            type="button"
            className="btn btn-primary"
            disabled={files.length === 0 || sending !== null || feed === ""}
            onClick={() => void send(feed, files, sender)}
          >
            {feed === NEW ? "Look at" : "Load"} {counted(files.length, "file")}
          </button>
        </div>
      </dialog>
    </>
  );
}

/** Sends files as one delivery and opens what comes of it: a load, or the beginning of a feed. `leave` is called before. */
function useSending(feeds: readonly FeedName[], leave: () => void) {
  const router = useRouter();
  const [sending, setSending] = useState<Sending | null>(null);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const stop = useRef<AbortController | null>(null);

  async function load(delivery: number, again: boolean): Promise<void> {
    const { load: asked } = await ask(loadDelivery, { params: { id: delivery }, body: { again } });
    leave();
    router.push(`/loads/${asked}`);
    router.refresh();
  }

  async function send(feed: string, files: readonly File[], sender: string): Promise<void> {
    setProblem(null);
    stop.current = new AbortController();
    setSending({ files, sent: 0 });
    const options = {
      sender,
      signal: stop.current.signal,
      sent: (sent: number) => setSending({ files, sent }),
    };
    try {
      if (feed === NEW) {
        const names = feeds.map((f) => f.name);
        const begun = await beginFeed(titleOf(files[0]!.name), names, files, sender);
        leave();
        router.push(begun.href);
      } else await load(await sendFiles(feed, files, options), false);
    } catch (error) {
      if ((error as Error).name !== "AbortError") setProblem(problemOf(error));
    } finally {
      setSending(null);
    }
  }

  async function again(): Promise<void> {
    const delivery = problem?.delivery;
    if (delivery === undefined) return;
    try {
      await load(delivery, true);
    } catch (error) {
      setProblem(problemOf(error));
    }
  }

  return { sending, problem, setProblem, send, again, stop: () => stop.current?.abort() };
}

/** Which feed files are for, and who sent them. */
function ToFeed({
  feeds,
  only,
  feed,
  setFeed,
  sender,
  setSender,
}: {
  feeds: readonly FeedName[];
  only: string | undefined;
  feed: string;
  setFeed: (feed: string) => void;
  sender: string;
  setSender: (sender: string) => void;
}) {
  return (
    <div className="grid grid-cols-[6rem_1fr] items-center gap-x-3 gap-y-2">
      <label htmlFor="bring-feed">into the feed</label>
      {only ? (
        <b>{feeds.find((f) => f.name === only)?.title ?? only}</b>
      ) : (
        <select id="bring-feed" className="select select-sm" value={feed} onChange={(e) => setFeed(e.target.value)}>
          {feeds.map((f) => (
            <option key={f.name} value={f.name}>
              {f.title}
            </option>
          ))}
          <option value={NEW}>a new feed, made from these files</option>
        </select>
      )}
      <label htmlFor="bring-sender">sent by</label>
      <input
        id="bring-sender"
        className="input input-sm"
        value={sender}
        onChange={(e) => setSender(e.target.value)}
        placeholder="optional"
        maxLength={120}
      />
    </div>
  );
}
