"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemOf, type ApiProblem } from "../kit/api.ts";
import { FilePicker, FileRows, beginFeed, feedNameOf, titleOf, useDrop } from "../kit/files.tsx";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { counted } from "../kit/words.ts";

/** Begins a feed from files: dropped or chosen, sent, and looked at. Nothing has to be typed. */
export function NewFeed({ taken }: { taken: readonly string[] }) {
  const router = useRouter();
  const [files, setFiles] = useState<File[]>([]);
  const [title, setTitle] = useState("");
  const [sent, setSent] = useState<number | null>(null);
  const [each, setEach] = useState(false);
  const [made, setMade] = useState<{ name: string; href: string; file: string }[]>([]);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const shownTitle = title || titleOf(files[0]?.name ?? "");
  const add = (more: File[]): void => setFiles((have) => [...have, ...more]);
  useDrop(add);

  const send = async (): Promise<void> => {
    setProblem(null);
    setSent(0);
    try {
      if (!each) {
        router.push((await beginFeed(shownTitle, taken, files)).href);
        return;
      }
      const names = [...taken];
      for (const [i, file] of files.entries()) {
        const begun = await beginFeed(titleOf(file.name), names, [file]);
        await begun.gone;
        names.push(begun.name);
        setMade((before) => [...before, { ...begun, file: file.name }]);
        setSent(i + 1);
      }
      setFiles([]);
      setSent(null);
      router.refresh();
    } catch (error) {
      setProblem(problemOf(error));
      setSent(null);
    }
  };

  return (
    <div className="max-w-3xl">
      {made.length > 0 && (
        <section className="mb-4 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2" role="status">
          <b>{counted(made.length, "feed")} begun.</b> Look at each, and load it:
          <ul className="mt-1">
            {made.map((m) => (
              <li key={m.name}>
                <Link href={m.href}>{m.name}</Link> <span className="faint">from {m.file}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      <FilePicker label="Files of the new feed" add={add} disabled={sent !== null}>
        <span className="block p-4 text-lg">
          {files.length === 0 ? "Drop the files of one delivery here, or choose them" : "Add more files"}
          <span className="faint mt-1 block text-sm">
            CSV and other delimited text, fixed-width text, JSON, JSON Lines, XML, XLSX, Parquet, Avro; each also in
            gzip or zip
          </span>
        </span>
      </FilePicker>
      {files.length > 0 && (
        <>
          <FileRows files={files} sent={sent} takeOut={(i) => setFiles(files.filter((_, k) => k !== i))} />
          {files.length > 1 && (
            <fieldset className="mt-3 flex gap-5">
              <legend className="sr-only">What the files are</legend>
              <label className="flex items-center gap-1.5">
                <input type="radio" checked={!each} onChange={() => setEach(false)} />
                all one delivery of one feed
              </label>
              <label className="flex items-center gap-1.5">
                <input type="radio" checked={each} onChange={() => setEach(true)} />a feed for each file
              </label>
            </fieldset>
          )}
          <div className={`mt-3 grid grid-cols-[9rem_1fr] items-center gap-x-3 gap-y-2 ${each ? "hidden" : ""}`}>
            <label htmlFor="new-title">what it is called</label>
            <input
              id="new-title"
              className="input input-sm max-w-96"
              value={title}
              placeholder={shownTitle}
              maxLength={120}
              onChange={(e) => setTitle(e.target.value)}
            />
            <span className="faint">name in plans</span>
            <span className="raw">{feedNameOf(shownTitle, taken)}</span>
          </div>
          {problem && <ProblemNote problem={problem} />}
          <button type="button" className="btn btn-primary mt-4" disabled={sent !== null} onClick={() => void send()}>
            {each ? `Begin ${counted(files.length, "feed")}` : `Look at ${counted(files.length, "file")}`}
          </button>
        </>
      )}
    </div>
  );
}
