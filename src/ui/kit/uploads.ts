"use client";

import { useSyncExternalStore } from "react";
import type { ApiProblem } from "./api.ts";
import { withPath } from "./with-path.ts";

/** Files on their way to the store, while the page goes on with what has come of them. */
export interface Upload {
  readonly names: string;
  readonly sent: number;
  readonly bytes: number;
  readonly state: "sending" | "done" | "failed";
  readonly problem: ApiProblem | null;
}

const uploads = new Map<number, Upload>();
const listeners = new Set<() => void>();

function set(delivery: number, upload: Upload): void {
  uploads.set(delivery, upload);
  for (const listener of listeners) listener();
}

const warn = (event: BeforeUnloadEvent): void => event.preventDefault();

/** Sends files of a delivery one after the other, and goes on when another page of the application opens. */
export async function startUpload(delivery: number, files: readonly File[]): Promise<void> {
  const bytes = files.reduce((n, f) => n + f.size, 0);
  const names = files.map((f) => f.name).join(", ");
  let before = 0;
  set(delivery, { names, sent: 0, bytes, state: "sending", problem: null });
  window.addEventListener("beforeunload", warn);
  try {
    for (const file of files) {
      await put(delivery, file, (sent) =>
        set(delivery, { names, sent: before + sent, bytes, state: "sending", problem: null }),
      );
      before += file.size;
    }
    set(delivery, { names, sent: bytes, bytes, state: "done", problem: null });
  } catch (problem) {
    set(delivery, { names, sent: before, bytes, state: "failed", problem: problem as ApiProblem });
  } finally {
    window.removeEventListener("beforeunload", warn);
  }
}

/** One file. By XMLHttpRequest: fetch does not say how much of it has gone. */
function put(delivery: number, file: File, progress: (sent: number) => void): Promise<void> {
  return new Promise((resolve, reject: (problem: ApiProblem) => void) => {
    const request = new XMLHttpRequest();
    request.open("PUT", withPath(`/api/deliveries/${delivery}/files?name=${encodeURIComponent(file.name)}`));
    request.upload.onprogress = (e) => progress(e.loaded);
    request.onerror = () =>
      reject({ type: "", title: `${file.name} could not be sent.`, detail: "", hint: "Send it again." });
    request.onload = () => {
      if (request.status < 300) resolve();
      else reject(JSON.parse(request.responseText) as ApiProblem);
    };
    request.send(file);
  });
}

/** The upload of a delivery that this browser has sent since it was opened; undefined for any other. */
export function useUpload(delivery: number): Upload | undefined {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => uploads.get(delivery),
    () => undefined,
  );
}
