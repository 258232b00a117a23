"use client";

import { Moon, Sun } from "lucide-react";
import { usePathname, useRouter } from "next/navigation";
import { useEffect, useRef, useState, type RefObject } from "react";
import { Link } from "../kit/link.tsx";
import { grouped } from "../kit/words.ts";

const KEYS: [string, string][] = [
  ["T", "Today"],
  ["F", "Feeds"],
  ["Q", "Quarantine"],
  ["M", "Matches"],
  ["/", "Go to a feed or a load, or find a value"],
  ["↑ ↓", "Move in a list"],
  ["Enter", "Open what is marked"],
  ["Space", "Pick a record or a field"],
  ["E", "Mend the record"],
  ["R", "Release the records that pass"],
  ["X", "Discard with a reason"],
  ["S", "Decide that two records are the same"],
  ["D", "Decide that they are different"],
  ["L", "Decide later"],
  ["U", "Take the last decision back"],
  ["Ctrl Z", "Undo in the plan"],
  ["?", "This list"],
];

/** True when keys belong to what is being typed. */
export function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

export function Nav({ held, asked, feeds }: { held: number; asked: number; feeds: string[] }) {
  const path = usePathname();
  const help = useRef<HTMLDialogElement>(null);
  const jump = useRef<HTMLInputElement>(null);
  useShortcuts(help, jump);

  const item = (href: string, text: string, count?: number) => {
    const here =
      href === "/" ? path === "/" : path.startsWith(href) || (href === "/feeds" && path.startsWith("/loads"));
    return (
      <Link
        href={href}
        aria-current={here ? "page" : undefined}
        className={`flex h-full items-center gap-1.5 border-b-4 pt-1 ${here ? "border-[var(--pine)] font-bold" : "border-transparent faint"}`}
      >
        {text}
        {count !== undefined && <b className="text-[var(--ink)]">{grouped(count)}</b>}
      </Link>
    );
  };

  return (
    <header className="flex h-10 items-stretch gap-6 border-b border-[var(--ink)] px-5">
      <Link href="/" className="flex items-center gap-2 text-[1.1rem] font-bold">
        <SieveMark />
        Good Sieve
      </Link>
      <nav aria-label="Main" className="flex h-full gap-5">
        {item("/", "Today")}
        {item("/feeds", "Feeds")}
        {item("/quarantine", "Quarantine", held)}
        {item("/matches", "Matches", asked)}
        {item("/references", "References")}
        {item("/senders", "Senders")}
        {item("/settings", "Settings")}
      </nav>
      <div className="ml-auto flex items-center gap-3">
        <GoTo feeds={feeds} box={jump} />
        <button
          type="button"
          onClick={changeTheme}
          className="flex cursor-pointer items-center gap-1 faint"
          title="Change between light and dark"
        >
          <Moon size={15} className="of-paper" aria-hidden />
          <Sun size={15} className="of-loam" aria-hidden /> theme
        </button>
        <button type="button" className="cursor-pointer faint" onClick={() => help.current?.showModal()}>
          <kbd>?</kbd> keys
        </button>
      </div>
      <KeyList list={help} />
    </header>
  );
}

/** Keys that lead to the main pages, to the box for going somewhere, and to the list of all keys. */
function useShortcuts(help: RefObject<HTMLDialogElement | null>, jump: RefObject<HTMLInputElement | null>): void {
  const router = useRouter();
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
      const go: Record<string, string> = { t: "/", f: "/feeds", q: "/quarantine", m: "/matches" };
      if (event.key === "?") help.current?.showModal();
      else if (event.key === "/") {
        event.preventDefault();
        jump.current?.focus();
      } else if (go[event.key]) router.push(go[event.key]!);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [router, help, jump]);
}

function changeTheme(): void {
  const now = document.documentElement.dataset["theme"] === "loam" ? "paper" : "loam";
  document.documentElement.dataset["theme"] = now;
  localStorage.setItem("theme", now);
}

function SieveMark() {
  return (
    <svg
      viewBox="0 0 24 24"
      width="22"
      height="22"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.6"
      aria-hidden="true"
    >
      <path d="M3 5h18l-2.5 8a7 5 0 0 1-13 0z" />
      <path d="M6 9h12" strokeDasharray="2 1.6" />
      <path d="M9 20l.8 1.6M14 19.5l.8 1.6" />
    </svg>
  );
}

/** Leads to a load by its number, to a feed by the beginning of its name, and to the records that have any other value. */
function GoTo({ feeds, box }: { feeds: readonly string[]; box: RefObject<HTMLInputElement | null> }) {
  const router = useRouter();
  const [text, setText] = useState("");
  const open = (event: React.FormEvent): void => {
    event.preventDefault();
    const word = text.trim().toLowerCase();
    const load = /^(?:load\s*)?(\d+)$/.exec(word);
    const feed = feeds.find((f) => f === word) ?? feeds.find((f) => f.startsWith(word) && word !== "");
    if (word === "") return;
    if (load) router.push(`/loads/${load[1]}`);
    else if (feed) router.push(`/feeds/${feed}`);
    else router.push(`/find?value=${encodeURIComponent(text.trim())}`);
    setText("");
    box.current?.blur();
  };
  return (
    <form onSubmit={open} className="flex items-center gap-1 border-b border-[var(--rule)]">
      <input
        ref={box}
        value={text}
        onChange={(e) => setText(e.target.value)}
        aria-label="Go to a feed or a load, or find a record by a value"
        placeholder="Feed, load, any value…"
        className="w-40 bg-transparent py-0.5 outline-offset-4 placeholder:text-[var(--faint)]"
      />
      <kbd>/</kbd>
    </form>
  );
}

/** The list of all keys, which opens over the page. */
function KeyList({ list }: { list: RefObject<HTMLDialogElement | null> }) {
  return (
    <dialog
      ref={list}
      className="m-auto w-96 border border-[var(--ink)] bg-[var(--paper)] p-5 text-[var(--ink)] backdrop:bg-black/40"
    >
      <div className="mb-2 flex items-baseline justify-between">
        <b className="text-lg">Keys</b>
        <button type="button" className="plain" onClick={() => list.current?.close()}>
          Close <kbd>Esc</kbd>
        </button>
      </div>
      <table className="ledger">
        <tbody>
          {KEYS.map(([key, what]) => (
            <tr key={key}>
              <td>
                <kbd>{key}</kbd>
              </td>
              <td>{what}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </dialog>
  );
}
