"use client";

import { useRouter } from "next/navigation";
import { useEffect, useRef, useState } from "react";
import { fieldName } from "@/core/propose.ts";
import { api, problemOf, type ApiProblem } from "./api.ts";
import { ProblemNote } from "./problem-note.tsx";
import { counted, grouped } from "./words.ts";

/** A title from a file's name: “germination-2026-10.jsonl.gz” is about germination. */
function titleOf(file: string): string {
  const words = file
    .replace(/(\.[a-z0-9]{1,8}){1,2}$/i, "")
    .replace(/[_-]+/g, " ")
    .replace(/\b\d+\b/g, "")
    .trim();
  const title = words.replace(/\s+/g, " ").slice(0, 60);
  return title === "" ? "New feed" : title[0]!.toUpperCase() + title.slice(1);
}

/** Begins a feed from files: dropped or chosen, sent, and looked at. Nothing has to be typed. */
export function NewFeed({ taken }: { taken: readonly string[] }) {
  const router = useRouter();
  const picker = useRef<HTMLInputElement>(null);
  const [files, setFiles] = useState<File[]>([]);
  const [title, setTitle] = useState("");
  const [sent, setSent] = useState<number | null>(null);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const shownTitle = title || titleOf(files[0]?.name ?? "");
  const name = fieldName(shownTitle, new Set(taken));

  useEffect(() => {
    const allow = (e: DragEvent): void => e.preventDefault();
    const drop = (e: DragEvent): void => {
      e.preventDefault();
      const dropped = [...(e.dataTransfer?.files ?? [])];
      setFiles((have) => [...have, ...dropped]);
    };
    window.addEventListener("dragover", allow);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", allow);
      window.removeEventListener("drop", drop);
    };
  }, []);

  const send = async (): Promise<void> => {
    setProblem(null);
    setSent(0);
    try {
      await api("/api/feeds", { json: { name, title: shownTitle } });
      const { id } = await api<{ id: number }>(`/api/feeds/${name}/deliveries`, { json: {} });
      for (const [i, file] of files.entries()) {
        await api(`/api/deliveries/${id}/files?name=${encodeURIComponent(file.name)}`, { method: "PUT", body: file });
        setSent(i + 1);
      }
      router.push(`/feeds/${name}/begin?delivery=${id}`);
    } catch (error) {
      setProblem(problemOf(error));
      setSent(null);
    }
  };

  return (
    <div className="max-w-3xl">
      <input
        ref={picker}
        type="file"
        multiple
        className="sr-only"
        aria-label="Files of the new feed"
        onChange={(e) => {
          const chosen = [...(e.target.files ?? [])];
          setFiles((have) => [...have, ...chosen]);
          e.target.value = "";
        }}
      />
      <button
        type="button"
        className="w-full cursor-pointer border border-dashed border-[var(--ink)] p-8 text-center text-lg"
        onClick={() => picker.current?.click()}
      >
        {files.length === 0
          ? "Drop the files of one delivery here, or choose them"
          : "Add more files of the same delivery"}
        <span className="faint mt-1 block text-sm">
          CSV and other delimited text, fixed-width text, JSON, JSON Lines, XML, XLSX, Parquet, Avro; each also in gzip
          or zip
        </span>
      </button>
      {files.length > 0 && (
        <>
          <table className="ledger mt-3">
            <tbody>
              {files.map((f, i) => (
                <tr key={i}>
                  <td className="break-all">{f.name}</td>
                  <td className="n">{grouped(f.size)} bytes</td>
                  <td className="n">
                    {sent !== null ? (
                      i < sent ? (
                        "received"
                      ) : (
                        "sending…"
                      )
                    ) : (
                      <button type="button" className="plain" onClick={() => setFiles(files.filter((_, k) => k !== i))}>
                        take out
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <div className="mt-3 grid grid-cols-[9rem_1fr] items-center gap-x-3 gap-y-2">
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
            <span className="raw">{name}</span>
          </div>
          {problem && <ProblemNote problem={problem} />}
          <button type="button" className="btn btn-primary mt-4" disabled={sent !== null} onClick={() => void send()}>
            Look at {counted(files.length, "file")}
          </button>
        </>
      )}
    </div>
  );
}
