"use client";

import { makeFeed } from "@/routes/feeds.ts";
import { makeDelivery, putFile } from "@/routes/deliveries.ts";
import { useEffect, useRef, useState } from "react";
import { fieldName } from "@/core/profile/propose.ts";
import { ask } from "./api.ts";
import { startUpload } from "./uploads.ts";
import { grouped } from "./words.ts";

/** Files of a folder are read so many at a time; browsers give no more at once. */
type Entry = FileSystemEntry | null;

async function filesOfEntry(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) {
    return [await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject))];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const files: File[] = [];
  for (;;) {
    const entries = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (entries.length === 0) return files;
    for (const e of entries) files.push(...(await filesOfEntry(e)));
  }
}

/** What was dropped, folders opened, in the order of their names. Hidden files stay out. */
export async function droppedFiles(transfer: DataTransfer): Promise<File[]> {
  // Entries are gone once the event is over, so they are all taken before anything is awaited.
  const entries: Entry[] = [...transfer.items].map((item) => item.webkitGetAsEntry?.() ?? null);
  if (!entries.some((e) => e?.isDirectory)) return [...transfer.files];
  const files: File[] = [];
  for (const entry of entries) if (entry) files.push(...(await filesOfEntry(entry)));
  return inOrder(files);
}

function inOrder(files: readonly File[]): File[] {
  return files
    .filter((f) => !f.name.startsWith("."))
    .sort((a, b) => (a.webkitRelativePath || a.name).localeCompare(b.webkitRelativePath || b.name));
}

/** Takes files that are dropped anywhere on the page; true while some hang over it. */
export function useDrop(add: (files: File[]) => void): boolean {
  const [over, setOver] = useState(false);
  const latest = useRef(add);
  useEffect(() => {
    latest.current = add;
  });
  useEffect(() => {
    let depth = 0;
    const hasFiles = (e: DragEvent): boolean => e.dataTransfer?.types.includes("Files") ?? false;
    const enter = (e: DragEvent): void => {
      if (!hasFiles(e)) return;
      depth++;
      setOver(true);
    };
    const leave = (): void => {
      depth = Math.max(0, depth - 1);
      if (depth === 0) setOver(false);
    };
    const drop = (e: DragEvent): void => {
      depth = 0;
      setOver(false);
      if (!hasFiles(e)) return;
      e.preventDefault();
      void droppedFiles(e.dataTransfer!).then((files) => latest.current(files));
    };
    const allow = (e: DragEvent): void => {
      if (hasFiles(e)) e.preventDefault();
    };
    window.addEventListener("dragenter", enter);
    window.addEventListener("dragleave", leave);
    window.addEventListener("dragover", allow);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragenter", enter);
      window.removeEventListener("dragleave", leave);
      window.removeEventListener("dragover", allow);
      window.removeEventListener("drop", drop);
    };
  }, []);
  return over;
}

/** Chooses files, or all files of a folder. */
export function FilePicker({
  label,
  disabled = false,
  add,
  children,
}: {
  label: string;
  disabled?: boolean;
  add: (files: File[]) => void;
  children: React.ReactNode;
}) {
  const picker = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const take = (e: React.ChangeEvent<HTMLInputElement>, all: (files: File[]) => File[]): void => {
    add(all([...(e.target.files ?? [])]));
    e.target.value = "";
  };
  return (
    <>
      <input
        ref={picker}
        type="file"
        multiple
        className="sr-only"
        aria-label={label}
        tabIndex={-1}
        onChange={(e) => take(e, (files) => files)}
      />
      <input
        ref={folder}
        type="file"
        className="sr-only"
        aria-label={`${label}: a folder`}
        tabIndex={-1}
        {...{ webkitdirectory: "" }}
        onChange={(e) => take(e, inOrder)}
      />
      <button
        type="button"
        className="w-full cursor-pointer border border-dashed border-[var(--ink)] p-3 text-center"
        onClick={() => picker.current?.click()}
        disabled={disabled}
      >
        {children}
      </button>
      <p className="mt-1 text-right text-sm">
        <button type="button" className="plain" disabled={disabled} onClick={() => folder.current?.click()}>
          Choose a folder
        </button>
      </p>
    </>
  );
}

/** A title from a file's name: “germination-2026-10.jsonl.gz” is about germination. */
export function titleOf(file: string): string {
  const words = file
    .replace(/(\.[a-z0-9]{1,8}){1,2}$/i, "")
    .replace(/[_-]+/g, " ")
    .replace(/\b\d+\b/g, "")
    .trim();
  const title = words.replace(/\s+/g, " ").slice(0, 60);
  return title === "" ? "New feed" : title[0]!.toUpperCase() + title.slice(1);
}

/** The name of a feed with a title, unlike any that is taken. */
export function feedNameOf(title: string, taken: readonly string[]): string {
  return fieldName(title, new Set(taken));
}

/** Makes a delivery of a feed and sends its files one after the other; gives the delivery. */
export async function sendFiles(
  feed: string,
  files: readonly File[],
  options: { sender?: string; signal?: AbortSignal; sent?: (files: number) => void } = {},
): Promise<number> {
  const { id } = await ask(makeDelivery, {
    params: { feed },
    body: options.sender ? { sender: options.sender } : {},
  });
  for (const [i, file] of files.entries()) {
    await ask(putFile, {
      params: { id },
      query: { name: file.name },
      file,
      signal: options.signal,
    });
    options.sent?.(i + 1);
  }
  return id;
}

/** Files with their sizes, which can be taken out again until they are sent. `sent`: how many have been received, or null before. */
export function FileRows({
  files,
  sent,
  takeOut,
}: {
  files: readonly File[];
  sent: number | null;
  takeOut: (i: number) => void;
}) {
  return (
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
                <button type="button" className="plain" onClick={() => takeOut(i)} aria-label={`Take ${f.name} out`}>
                  take out
                </button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Makes a feed and begins to send its first files; gives where it is begun, and when all have gone. */
export async function beginFeed(
  title: string,
  taken: readonly string[],
  files: readonly File[],
  sender = "",
): Promise<{ name: string; href: string; gone: Promise<void> }> {
  const name = feedNameOf(title, taken);
  await ask(makeFeed, { body: { name, title } });
  const { id } = await ask(makeDelivery, { params: { feed: name }, body: sender ? { sender } : {} });
  return { name, href: `/feeds/${name}/begin?delivery=${id}`, gone: startUpload(id, files) };
}
