"use client";

import { useState } from "react";

const TONES = {
  plain: "mt-4",
  pine: "mt-2 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2",
  plum: "mt-2 border-l-4 border-[var(--plum)] bg-[var(--paper-bright)] px-3 py-2",
} as const;

/** Asks for the words that go with what is about to be done: a version's note, a reason. Without words it is not done. */
export function NoteForm({
  label,
  submit,
  tone,
  ready = true,
  focus = false,
  back,
  children,
  save,
}: {
  label: React.ReactNode;
  /** On the button. */
  submit: React.ReactNode;
  tone: keyof typeof TONES;
  /** Nothing else stands in the way. */
  ready?: boolean;
  focus?: boolean;
  back?: { readonly says: string; readonly go: () => void };
  /** Above the words. */
  children?: React.ReactNode;
  save: (note: string) => Promise<void>;
}) {
  const [note, setNote] = useState("");
  return (
    <form
      className={`flex flex-wrap items-end gap-3 ${TONES[tone]}`}
      onSubmit={(e) => {
        e.preventDefault();
        void save(note.trim());
      }}
    >
      {children}
      <label className="grow">
        {label}
        <input
          autoFocus={focus}
          className="input input-sm mt-1"
          value={note}
          maxLength={500}
          onChange={(e) => setNote(e.target.value)}
        />
      </label>
      {back && (
        <button type="button" className="btn btn-line" onClick={back.go}>
          {back.says}
        </button>
      )}
      <button
        type="submit"
        className={`btn ${tone === "plum" ? "btn-error" : "btn-primary"}`}
        disabled={!ready || note.trim() === ""}
      >
        {submit}
      </button>
    </form>
  );
}
